#include <algorithm>
#include <cmath>
#include <renth/quality/error_correlation.hpp>
#include <vector>

namespace renth {

using Eigen::Index;

Eigen::MatrixXd error_correlation(const Eigen::MatrixXd& errors) {
  const Index q = errors.cols();
  std::vector<Index> whole;
  for (Index i = 0; i < errors.rows(); ++i)
    if (errors.row(i).allFinite()) whole.push_back(i);
  const auto n = double(whole.size());
  if (whole.size() < 3) return Eigen::MatrixXd::Identity(q, q);
  Eigen::MatrixXd x = errors(whole, Eigen::all);
  x.rowwise() -= x.colwise().mean();
  for (Index j = 0; j < q; ++j) {
    const double sd = std::sqrt(x.col(j).squaredNorm() / (n - 1));
    if (sd > 0) x.col(j) /= sd;
  }
  const Eigen::MatrixXd r = x.transpose() * x / (n - 1);
  // λ = Σ var(r) / Σ r² over all pairs, equation (8) with the variances of table 2.
  double variances = 0, squares = 0;
  for (Index i = 0; i < q; ++i)
    for (Index j = 0; j < i; ++j) {
      const Eigen::ArrayXd w = x.col(i).array() * x.col(j).array();
      variances += n / std::pow(n - 1, 3) * (w - w.mean()).square().sum();
      squares += r(i, j) * r(i, j);
    }
  const double shrink = squares > 0 ? std::clamp(variances / squares, 0.0, 1.0) : 1;
  Eigen::MatrixXd out = (1 - shrink) * r;
  out.diagonal().setOnes();
  return out;
}

}  // namespace renth
