#include <renth/plan/projected_pairs.hpp>
#include <set>

namespace renth {

using Eigen::Index;

ProjectedPairs::ProjectedPairs(const Space& space, const Eigen::MatrixXd& points, double)
    : n_(points.rows()), d_(points.cols()), shared_(d_), unit_(n_, d_) {
  for (Index j = 0; j < d_; ++j) {
    const Parameter& p = space[j];
    is_choice_.push_back(p.is_choice());
    const std::set<double> values(points.col(j).begin(), points.col(j).end());
    shared_[j] = Index(values.size()) < n_ ? 1 / double(values.size()) : 0;
    unit_.col(j) =
        p.is_choice() ? Eigen::ArrayXd(points.col(j)) : (points.col(j).array() - p.low) / (p.high - p.low);
  }
  new_a_.resize(n_);
  new_b_.resize(n_);
  sum_all();
}

void ProjectedPairs::sum_all() {
  inverse_.resize(n_, n_);
  for (Index a = 0; a < n_; ++a) {
    inverse_(a, a) = 0;
    for (Index b = 0; b < a; ++b) {
      double product = 1;
      for (Index j = 0; j < d_; ++j) product *= factor(j, unit_(a, j), unit_(b, j));
      inverse_(a, b) = inverse_(b, a) = 1 / product;
    }
  }
  of_row_ = inverse_.colwise().sum();
  total_ = 0.5 * of_row_.sum();
}

double ProjectedPairs::after(Index a, Index b, Index c, double) {
  const double va = unit_(a, c), vb = unit_(b, c);
  double change = 0;
  for (Index i = 0; i < n_; ++i) {
    if (i == a || i == b) continue;
    const double of_a = factor(c, unit_(i, c), va), of_b = factor(c, unit_(i, c), vb), ratio = of_a / of_b;
    new_a_[i] = inverse_(i, a) * ratio;
    new_b_[i] = inverse_(i, b) / ratio;
    change += new_a_[i] - inverse_(i, a) + (new_b_[i] - inverse_(i, b));
  }
  new_a_[a] = new_b_[b] = 0;
  new_a_[b] = new_b_[a] = inverse_(a, b);
  after_ = total_ + change;
  return std::log(std::max(after_, 1e-300)) / double(d_);
}

void ProjectedPairs::apply(Index a, Index b, Index c) {
  std::swap(unit_(a, c), unit_(b, c));
  of_row_ += new_a_ - inverse_.col(a) + new_b_ - inverse_.col(b);
  of_row_[a] = new_a_.sum();
  of_row_[b] = new_b_.sum();
  inverse_.col(a) = new_a_;
  inverse_.row(a) = new_a_.transpose();
  inverse_.col(b) = new_b_;
  inverse_.row(b) = new_b_.transpose();
  total_ = after_;
  if (++applied_ % 4096 == 0) sum_all();  // no drift
}

}  // namespace renth
