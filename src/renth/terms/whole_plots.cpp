#include <cmath>
#include <renth/terms/block_columns.hpp>
#include <renth/terms/whole_plots.hpp>

namespace renth {

using Eigen::Index;

WholePlots::WholePlots(const Eigen::VectorXi& of) : of_(numbered_blocks(of)) {
  if (of_.empty()) of_.assign(std::size_t(of.size()), 0);
  int most = -1;
  for (const int b : of_) most = std::max(most, b);
  size_.setZero(most + 1);
  for (const int b : of_) ++size_[b];
}

Eigen::MatrixXd WholePlots::means(const Eigen::MatrixXd& x) const {
  Eigen::MatrixXd out = Eigen::MatrixXd::Zero(count(), x.cols());
  for (Index i = 0; i < x.rows(); ++i) out.row(of_[std::size_t(i)]) += x.row(i);
  return size_.cwiseInverse().asDiagonal() * out;
}

Eigen::MatrixXd WholePlots::whitened(const Eigen::MatrixXd& x, double ratio) const {
  if (count() == 0 || ratio == 0) return x;
  const Eigen::MatrixXd mean = means(x);
  Eigen::MatrixXd out = x;
  for (Index i = 0; i < x.rows(); ++i) {
    const int b = of_[std::size_t(i)];
    out.row(i) -= (1 - 1 / std::sqrt(1 + ratio * size_[b])) * mean.row(b);
  }
  return out;
}

double WholePlots::log_determinant(double ratio) const {
  return (1 + ratio * size_.array()).log().sum();
}

}  // namespace renth
