#include <cmath>
#include <limits>
#include <renth/fit/kriging_objective.hpp>
#include <renth/numeric/cholesky.hpp>
#include <renth/numeric/cholesky_inverse.hpp>
#include <renth/numeric/dense.hpp>
#include <renth/surrogate/process.hpp>

namespace renth {
namespace {
Eigen::VectorXd logs(int lengths, bool nugget, double length, double share) {
  Eigen::VectorXd out = Eigen::VectorXd::Constant(lengths + nugget, std::log(length));
  if (nugget) out[lengths] = std::log(share);
  return out;
}
}  // namespace

Eigen::VectorXd least_logs(int lengths, bool nugget) {
  return logs(lengths, nugget, 0.02, 1e-10);
}
Eigen::VectorXd most_logs(int lengths, bool nugget) {
  return logs(lengths, nugget, 100, 10);
}

bool KrigingObjective::decompose(const Eigen::VectorXd& t, bool slopes, double& log_det) {
  const KrigingProblem& p = problem_;
  const Eigen::Index n = p.y.size();
  const double nugget = t.size() > p.lengths() ? std::exp(t[p.lengths()]) : std::max(floor, p.nugget);
  scaled_ = p.features;
  for (Eigen::Index k = 0; k < scaled_.cols(); ++k) scaled_.col(k) *= std::exp(-t[p.owner[k]]);
  correlation_matrix(p.kernel, scaled_, nugget, k_, slopes ? &slope_ : nullptr);
  if (!cholesky_in_place(k_)) return false;
  log_det = 0;
  for (Eigen::Index i = 0; i < n; ++i) log_det += 2 * std::log(k_(i, i));
  Eigen::MatrixXd white(n, p.trend.cols() + 1);
  white << p.y, p.trend;
  solve_lower(k_, white);
  const QrFactor qr(white.rightCols(p.trend.cols()));
  beta_ = qr.solve(white.col(0));
  alpha_ = white.col(0) - white.rightCols(p.trend.cols()) * beta_;
  sigma2_ = alpha_.squaredNorm() / static_cast<double>(n);
  solve_lower_transposed(k_, alpha_);
  if (p.criterion == KrigingCriterion::leave_one_out || !slopes) {
    basis_ = qr.basis();
    solve_lower_transposed(k_, basis_);
  }
  return true;
}

/// gradient[l] −= Σ_{i>j} (α_i α_j scale − inverse_ij) ∂K_ij/∂ln θ_l; uses the slopes up.
void KrigingObjective::add_slopes(const Eigen::VectorXd& alpha, double scale, const Eigen::MatrixXd& inverse,
                                  Eigen::VectorXd& gradient) {
  const Eigen::Index n = alpha.size();
  Eigen::VectorXd by_feature = Eigen::VectorXd::Zero(scaled_.cols()), point(scaled_.cols());
  for (Eigen::Index j = 0; j + 1 < n; ++j) {
    point = scaled_.row(j);
    kernels::accumulate_gradient(problem_.kernel, point.data(), scaled_.data() + j + 1, n, scaled_.cols(),
                                 n - j - 1, alpha.data() + j + 1, alpha[j] * scale, &inverse(j + 1, j),
                                 &slope_(j + 1, j), by_feature.data());
  }
  for (Eigen::Index k = 0; k < scaled_.cols(); ++k) gradient[problem_.owner[k]] -= by_feature[k];
}

/// e_i and Q_ii, from K⁻¹ in the lower triangle of k_.
void KrigingObjective::left_out_of_inverse(Eigen::VectorXd& error, Eigen::VectorXd& diagonal) {
  diagonal = k_.diagonal() - basis_.rowwise().squaredNorm();
  // A run that the trend alone decides has no error of its own.
  diagonal = diagonal.cwiseMax(1e-14 * k_.diagonal());
  error = alpha_.cwiseQuotient(diagonal);
}

double KrigingObjective::leave_one_out(const Eigen::VectorXd& t, double nugget, Eigen::VectorXd* gradient) {
  inverse_from_cholesky(k_);
  Eigen::VectorXd error, diagonal;
  left_out_of_inverse(error, diagonal);
  const double sum = error.squaredNorm(), n = double(error.size());
  if (gradient) {
    Eigen::MatrixXd q = k_.selfadjointView<Eigen::Lower>();
    q.noalias() -= basis_ * basis_.transpose();
    const Eigen::VectorXd u = q * error.cwiseQuotient(diagonal),
                          w = error.array().square() / diagonal.array();
    Eigen::MatrixXd m = q * (2 * w).asDiagonal() * q;
    m.noalias() -= u * alpha_.transpose();
    m.noalias() -= alpha_ * u.transpose();
    m *= n / sum;
    add_slopes(alpha_, 0, m, *gradient);
    if (t.size() > problem_.lengths()) (*gradient)[problem_.lengths()] += 0.5 * nugget * m.trace();
  }
  return 0.5 * n * std::log(sum / n);
}

double KrigingObjective::operator()(const Eigen::VectorXd& t, Eigen::VectorXd* gradient) {
  ++evaluations_;
  const auto n = static_cast<double>(problem_.y.size());
  const int lengths = problem_.lengths();
  const bool estimated = t.size() > lengths;
  double log_det = 0;
  if (!decompose(t, gradient != nullptr, log_det)) return std::numeric_limits<double>::infinity();
  if (gradient) gradient->setZero(t.size());
  const double nugget = estimated ? std::exp(t[lengths]) : 0;
  double value = 0;
  if (problem_.criterion == KrigingCriterion::leave_one_out) {
    value = leave_one_out(t, nugget, gradient);
  } else {
    value = 0.5 * (n * std::log(sigma2_) + log_det);
    if (gradient) {
      inverse_from_cholesky(k_);
      add_slopes(alpha_, 1 / sigma2_, k_, *gradient);
      if (estimated)
        (*gradient)[lengths] = 0.5 * nugget * (k_.diagonal().sum() - alpha_.squaredNorm() / sigma2_);
    }
  }
  if (problem_.prior) {
    const double a = 0.2, c = std::pow(n, -1.0 / lengths), b = c * (a + lengths);
    double s = nugget;
    for (int l = 0; l < lengths; ++l) s += c * std::exp(-t[l]);
    value += b * s - a * std::log(s);
    if (gradient) {
      const double slope = b - a / s;
      for (int l = 0; l < lengths; ++l) (*gradient)[l] -= slope * c * std::exp(-t[l]);
      if (estimated) (*gradient)[lengths] += slope * nugget;
    }
  }
  return value;
}

void KrigingObjective::left_out(const Eigen::VectorXd& t, Eigen::VectorXd& error, Eigen::VectorXd& variance) {
  double log_det = 0;
  decompose(t, false, log_det);
  inverse_from_cholesky(k_);
  left_out_of_inverse(error, variance);
  variance = variance.cwiseInverse();
}

}  // namespace renth
