#include <algorithm>
#include <cmath>
#include <renth/numeric/cholesky.hpp>
#include <renth/numeric/kernels.hpp>
#include <renth/space/features.hpp>
#include <renth/surrogate/feasibility.hpp>
#include <renth/surrogate/sound.hpp>
#include <utility>

namespace renth {
namespace {

/// 16-point Gauss–Hermite rule for ∫ g(x) e^(−x²) dx (M. Abramowitz and I. A. Stegun, table 25.10);
/// symmetric.
constexpr double nodes[] = {0.27348104613815, 0.82295144914466, 1.38025853919888, 1.95178799091625,
                            2.54620215784748, 3.17699916197996, 3.86944790486012, 4.68873893930582};
constexpr double weights[] = {5.079294790166e-1, 2.806474585285e-1, 8.381004139899e-2, 1.288031153551e-2,
                              9.322840086242e-4, 2.711860092538e-5, 2.320980844865e-7, 2.654807474011e-10};

/// Mean of σ(f), and of its square, for f ~ N(mean, variance).
std::pair<double, double> probability(double mean, double variance) {
  const double scale = std::sqrt(2 * variance), norm = 1 / std::sqrt(M_PI);
  double first = 0, second = 0;
  for (int i = 0; i < 8; ++i)
    for (const double sign : {-1.0, 1.0}) {
      const double p = logistic(mean + sign * scale * nodes[i]);
      first += weights[i] * p;
      second += weights[i] * p * p;
    }
  return {norm * first, norm * second};
}

}  // namespace

double logistic(double f) {
  return f >= 0 ? 1 / (1 + std::exp(-f)) : std::exp(f) / (1 + std::exp(f));
}

Eigen::MatrixXd scaled_by(const Eigen::MatrixXd& features, const std::vector<int>& owner,
                          const Eigen::VectorXd& theta) {
  Eigen::MatrixXd out = features;
  for (Eigen::Index k = 0; k < out.cols(); ++k) out.col(k) /= theta[owner[static_cast<std::size_t>(k)]];
  return out;
}

Eigen::MatrixXd latent_covariance(const Eigen::MatrixXd& scaled, double variance) {
  const Eigen::Index n = scaled.rows();
  Eigen::MatrixXd k(n, n);
  for (Eigen::Index j = 0; j < n; ++j) {
    const Eigen::VectorXd point = scaled.row(j);
    kernels::correlations(Kernel::matern52, point.data(), scaled.data(), std::size_t(n),
                          std::size_t(scaled.cols()), std::size_t(n), k.col(j).data());
  }
  return variance * k;
}

Feasibility::Feasibility(State state) : state_(std::move(state)) {
  const Eigen::VectorXd root = state_.weight.cwiseSqrt();
  factor_ = root.asDiagonal() * latent_covariance(state_.runs, state_.variance) * root.asDiagonal();
  factor_.diagonal().array() += 1;
  cholesky_in_place(factor_);
}

Eigen::MatrixXd Feasibility::correlations(Points points) const {
  const Eigen::MatrixXd scaled =
      scaled_by(features(state_.space, points), feature_parameters(state_.space), state_.theta);
  const auto n = static_cast<std::size_t>(state_.runs.rows());
  Eigen::MatrixXd k(state_.runs.rows(), points.rows());
  for (Eigen::Index i = 0; i < points.rows(); ++i) {
    const Eigen::VectorXd point = scaled.row(i);
    kernels::correlations(Kernel::matern52, point.data(), state_.runs.data(), n, std::size_t(scaled.cols()),
                          n, k.col(i).data());
  }
  return state_.variance * k;
}

Prediction Feasibility::answer(Points points, Want want) const {
  const Eigen::MatrixXd k = correlations(points);
  const Eigen::VectorXd latent = (k.transpose() * state_.pull).array() + state_.prior_mean;
  Eigen::MatrixXd v = state_.weight.cwiseSqrt().asDiagonal() * k;
  solve_lower(factor_, v);
  Prediction out;
  out.mean.resize(points.rows(), 1);
  out.model_variance = out.noise_variance = Eigen::MatrixXd::Zero(points.rows(), 1);
  out.degrees_of_freedom = INFINITY;
  for (Eigen::Index i = 0; i < points.rows(); ++i) {
    const double variance = std::max(0.0, state_.variance - v.col(i).squaredNorm());
    const auto [mean, square] = probability(latent[i], variance);
    out.mean(i, 0) = mean;
    out.model_variance(i, 0) = std::max(0.0, square - mean * mean);
  }
  if (want.gradient) {
    // By central differences: the quadrature leaves no short formula, and 1e-5 of a span is far above
    // rounding.
    Eigen::MatrixXd slope = Eigen::MatrixXd::Zero(points.rows(), state_.space.size());
    for (Eigen::Index j = 0; j < state_.space.size(); ++j) {
      const Parameter& p = state_.space[j];
      if (p.is_choice()) continue;
      const double step = 1e-5 * (p.high - p.low);
      Eigen::MatrixXd up = points, down = points;
      up.col(j).array() += step;
      down.col(j).array() -= step;
      slope.col(j) = (predict(up).mean.col(0) - predict(down).mean.col(0)) / (2 * step);
    }
    out.mean_gradient = {slope};
  }
  return out;
}

Intervals Feasibility::intervals(const Prediction& prediction, double level) const {
  Intervals out = Surrogate::intervals(prediction, level);
  for (Eigen::MatrixXd* m :
       {&out.confidence_low, &out.confidence_high, &out.prediction_low, &out.prediction_high})
    *m = m->cwiseMax(0.0).cwiseMin(1.0);
  return out;
}

Eigen::MatrixXd Feasibility::joint_covariance(Points points, Eigen::Index) const {
  const Eigen::MatrixXd k = correlations(points);
  const Eigen::VectorXd latent = (k.transpose() * state_.pull).array() + state_.prior_mean;
  Eigen::MatrixXd v = state_.weight.cwiseSqrt().asDiagonal() * k;
  solve_lower(factor_, v);
  const Eigen::MatrixXd scaled =
      scaled_by(features(state_.space, points), feature_parameters(state_.space), state_.theta);
  const Eigen::VectorXd slope = latent.unaryExpr([](double f) { return logistic(f) * (1 - logistic(f)); });
  return slope.asDiagonal() * (latent_covariance(scaled, state_.variance) - v.transpose() * v) *
         slope.asDiagonal();
}

Archive Feasibility::save() const {
  ArchiveWriter out;
  save_space(out, state_.space);
  out.matrix("theta", state_.theta);
  out.number("variance", state_.variance);
  out.number("prior mean", state_.prior_mean);
  out.matrix("runs", state_.runs);
  out.matrix("pull", state_.pull);
  out.matrix("weight", state_.weight);
  return out.take("feasibility", 1);
}

std::unique_ptr<const Surrogate> Feasibility::load(const Archive& archive) {
  ArchiveReader in(archive.bytes);
  State s;
  s.space = load_space(in);
  s.theta = in.vector();
  s.variance = in.number();
  s.prior_mean = in.number();
  s.runs = in.matrix();
  s.pull = in.vector();
  s.weight = in.vector();
  const Eigen::Index n = s.runs.rows();
  need_sound(are_runs(s.runs, s.space) && is_finite(s.theta, s.space.size()) && (s.theta.array() > 0).all() &&
             is_finite(s.pull, n) && is_finite(s.weight, n) && (s.weight.array() >= 0).all() &&
             std::isfinite(s.variance) && s.variance > 0 && std::isfinite(s.prior_mean));
  return std::make_unique<Feasibility>(std::move(s));
}

}  // namespace renth
