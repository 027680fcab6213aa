// The centred L2 discrepancy of a table, kept up to date while values are exchanged.
#pragma once
#include <cmath>
#include <renth/space/space.hpp>

namespace renth {

/// The sums of the centred L2 discrepancy.
class CentredSums {
 public:
  CentredSums(const Space& space, const Eigen::MatrixXd& points, double)
      : n_(points.rows()), d_(points.cols()) {
    z_ = space.to_unit(points).array() - 0.5;
    single_.resize(n_);
    pair_.resize(n_, n_);
    new_a_.resize(n_);
    new_b_.resize(n_);
    for (Eigen::Index i = 0; i < n_; ++i) {
      single_[i] = 1;
      for (Eigen::Index c = 0; c < d_; ++c) single_[i] *= one(z_(i, c));
      for (Eigen::Index k = 0; k < n_; ++k) {
        pair_(k, i) = 1;
        for (Eigen::Index c = 0; c < d_; ++c) pair_(k, i) *= two(z_(i, c), z_(k, c));
      }
    }
    constant_ = std::pow(13.0 / 12, double(d_));
    total_ = sum_all();
    scale_ = total_;
  }
  double value() const { return total_; }
  double scale() const { return 0.05 * scale_; }
  Eigen::Index worse(Eigen::Index a, Eigen::Index) const { return a; }  // a sum over all rows has no worst

  double after(Eigen::Index a, Eigen::Index b, Eigen::Index c, double) {
    const double za = z_(a, c), zb = z_(b, c), n = double(n_);
    double change = 0;
    for (Eigen::Index i = 0; i < n_; ++i) {
      if (i == a || i == b) continue;
      const double ratio = two(z_(i, c), zb) / two(z_(i, c), za);
      new_a_[i] = pair_(i, a) * ratio;
      new_b_[i] = pair_(i, b) / ratio;
      change += new_a_[i] - pair_(i, a) + new_b_[i] - pair_(i, b);
    }
    change *= 2;
    new_a_[a] = pair_(a, a) * two(zb, zb) / two(za, za);
    new_b_[b] = pair_(b, b) * two(za, za) / two(zb, zb);
    new_a_[b] = new_b_[a] = pair_(a, b);
    change += new_a_[a] - pair_(a, a) + new_b_[b] - pair_(b, b);
    const double ratio = one(zb) / one(za);
    single_a_ = single_[a] * ratio;
    single_b_ = single_[b] / ratio;
    after_ = total_ + change / (n * n) - 2 / n * (single_a_ - single_[a] + single_b_ - single_[b]);
    return after_;
  }
  void apply(Eigen::Index a, Eigen::Index b, Eigen::Index c) {
    std::swap(z_(a, c), z_(b, c));
    pair_.col(a) = new_a_;
    pair_.col(b) = new_b_;
    pair_.row(a) = new_a_.transpose();
    pair_.row(b) = new_b_.transpose();
    single_[a] = single_a_;
    single_[b] = single_b_;
    total_ = after_;
    if (++applied_ % 512 == 0) total_ = sum_all();
  }

 private:
  static double one(double z) { return 1 + 0.5 * std::abs(z) - 0.5 * z * z; }
  static double two(double z, double w) { return 1 + 0.5 * (std::abs(z) + std::abs(w) - std::abs(z - w)); }
  double sum_all() const {
    const double n = double(n_);
    return constant_ - 2 / n * single_.sum() + pair_.sum() / (n * n);
  }

  Eigen::Index n_, d_;
  int applied_ = 0;
  Eigen::MatrixXd z_, pair_;
  Eigen::VectorXd single_, new_a_, new_b_;
  double constant_ = 0, total_ = 0, after_ = 0, single_a_ = 0, single_b_ = 0, scale_ = 0;
};

}  // namespace renth
