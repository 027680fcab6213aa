#include <cmath>
#include <limits>
#include <renth/fit/plot_variance.hpp>
#include <renth/numeric/dense.hpp>

namespace renth {
namespace {

using Eigen::Index;

/// What the likelihood needs of an orthonormal basis of X and of y: little for each η.
class Likelihood {
 public:
  Likelihood(const Eigen::MatrixXd& basis, const Eigen::VectorXd& y, const WholePlots& plots)
      : plots_(plots), n_(y.size()), rank_(basis.cols()) {
    sums_ = plots.sizes().asDiagonal() * plots.means(basis);
    y_sums_ = plots.sizes().cwiseProduct(plots.means(y).col(0));
    products_ = basis.transpose() * y;
    square_ = y.squaredNorm();
  }

  /// −2 ln of it, but for a constant. \param grown  1 + η times the largest plot's runs.
  double operator()(double grown) const {
    const double ratio = ratio_of(grown);
    const Eigen::VectorXd share = ratio / (1 + ratio * plots_.sizes().array());
    const Eigen::MatrixXd a =
        Eigen::MatrixXd::Identity(rank_, rank_) - sums_.transpose() * share.asDiagonal() * sums_;
    const Eigen::VectorXd b = products_ - sums_.transpose() * share.cwiseProduct(y_sums_);
    const PositiveFactor factor(a);
    if (!factor.is_definite()) return std::numeric_limits<double>::infinity();
    const double left = square_ - share.dot(y_sums_.cwiseAbs2()) - b.dot(factor.solve(b).col(0));
    return plots_.log_determinant(ratio) + factor.log_determinant() +
           double(n_ - rank_) * std::log(std::max(left, 1e-14 * square_));
  }
  double ratio_of(double grown) const { return (grown - 1) / plots_.sizes().maxCoeff(); }

 private:
  const WholePlots& plots_;
  Index n_, rank_;
  Eigen::MatrixXd sums_;
  Eigen::VectorXd y_sums_, products_;
  double square_ = 0;
};

}  // namespace

double variance_ratio_of(const Eigen::MatrixXd& x, const Eigen::VectorXd& y, const WholePlots& plots) {
  constexpr double low = -5, high = 14, golden = 0.6180339887498949;  // of ln(1 + ηk)
  const Eigen::MatrixXd basis = column_basis(x);
  const Index rank = basis.cols();
  const Eigen::VectorXd centred = y.array() - y.mean();
  // Plots tell their error if there are more of them than there are ways of the model to change between them
  // alone.
  const std::vector<int>& of = plots.of_run();
  const Index within = column_rank(basis - plots.means(basis)(of, Eigen::all), 1e-9);
  const Eigen::VectorXd left = centred - basis * (basis.transpose() * centred);
  if (rank - within >= plots.count() || !(left.squaredNorm() > 1e-24 * centred.squaredNorm())) return 1;
  const Likelihood likelihood(basis, left, plots);
  const auto at = [&](double t) { return likelihood(std::exp(t)); };
  double best = 0, least = std::numeric_limits<double>::infinity();
  for (double t = low; t <= high; t += 0.25)
    if (const double value = at(t); value < least) best = t, least = value;
  double a = std::max(low, best - 0.25), b = std::min(high, best + 0.25);
  for (int k = 0; k < 60; ++k) {
    const double c = b - golden * (b - a), d = a + golden * (b - a);
    if (at(c) < at(d))
      b = d;
    else
      a = c;
  }
  return likelihood.ratio_of(std::exp(0.5 * (a + b)));
}

}  // namespace renth
