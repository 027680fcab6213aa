#include <cmath>
#include <limits>
#include <renth/numeric/cholesky.hpp>
#include <renth/numeric/matern.hpp>
#include <renth/surrogate/kriging_likelihood.hpp>

namespace renth {
namespace {

/// K and, if asked for, the slope matrix; columns below the diagonal.
void fill(const Eigen::MatrixXd& x, double nugget, Eigen::MatrixXd& k, Eigen::MatrixXd* slope) {
  const Eigen::Index n = x.rows();
  k.resize(n, n);
  if (slope) slope->resize(n, n);
  Eigen::VectorXd point(x.cols());
  for (Eigen::Index j = 0; j < n; ++j) {
    k(j, j) = 1 + nugget;
    const Eigen::Index below = n - j - 1;
    if (below == 0) break;
    point = x.row(j);
    double* column = &k(j + 1, j);
    matern::squared_distances(point.data(), x.data() + j + 1, n, x.cols(), below, column);
    if (slope)
      matern::correlation_and_slope(column, &(*slope)(j + 1, j), below);
    else
      matern::correlation(column, column, below);
  }
}

}  // namespace

void correlation_matrix(const Eigen::MatrixXd& scaled_runs, double nugget, Eigen::MatrixXd& k) {
  fill(scaled_runs, nugget, k, nullptr);
}

KrigingLikelihood::KrigingLikelihood(Eigen::MatrixXd features, std::vector<int> owner, int parameters,
                                     Eigen::VectorXd y)
    : features_(std::move(features)), owner_(std::move(owner)), parameters_(parameters), y_(std::move(y)) {}

double KrigingLikelihood::operator()(const Eigen::VectorXd& t, Eigen::VectorXd* gradient) {
  ++evaluations_;
  const Eigen::Index n = y_.size();
  const bool has_nugget = t.size() > parameters_;
  const double nugget = has_nugget ? std::exp(t[parameters_]) : floor;
  scaled_ = features_;
  for (Eigen::Index k = 0; k < scaled_.cols(); ++k) scaled_.col(k) *= std::exp(-t[owner_[k]]);
  fill(scaled_, nugget, k_, gradient ? &slope_ : nullptr);
  if (!cholesky_in_place(k_)) return std::numeric_limits<double>::infinity();

  double log_det = 0;
  for (Eigen::Index i = 0; i < n; ++i) log_det += 2 * std::log(k_(i, i));
  Eigen::MatrixXd white(n, 2);
  white << y_, Eigen::VectorXd::Ones(n);
  solve_lower(k_, white);
  mean_ = white.col(1).dot(white.col(0)) / white.col(1).squaredNorm();
  alpha_ = white.col(0) - mean_ * white.col(1);
  sigma2_ = alpha_.squaredNorm() / static_cast<double>(n);
  solve_lower_transposed(k_, alpha_);
  const double value = 0.5 * (static_cast<double>(n) * std::log(sigma2_) + log_det);
  if (!gradient) return value;

  inverse_from_cholesky(k_);
  gradient->setZero(t.size());
  Eigen::VectorXd by_feature = Eigen::VectorXd::Zero(scaled_.cols()), point(scaled_.cols());
  for (Eigen::Index j = 0; j + 1 < n; ++j) {
    point = scaled_.row(j);
    matern::accumulate_gradient(point.data(), scaled_.data() + j + 1, n, scaled_.cols(), n - j - 1,
                                alpha_.data() + j + 1, alpha_[j] / sigma2_, &k_(j + 1, j), &slope_(j + 1, j),
                                by_feature.data());
  }
  for (Eigen::Index k = 0; k < scaled_.cols(); ++k) (*gradient)[owner_[k]] -= by_feature[k];
  if (has_nugget)
    (*gradient)[parameters_] = 0.5 * nugget * (k_.diagonal().sum() - alpha_.squaredNorm() / sigma2_);
  return value;
}

}  // namespace renth
