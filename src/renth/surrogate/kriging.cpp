#include <algorithm>
#include <cmath>
#include <renth/numeric/cholesky.hpp>
#include <renth/numeric/matern.hpp>
#include <renth/space/features.hpp>
#include <renth/surrogate/kriging.hpp>
#include <renth/surrogate/kriging_likelihood.hpp>

namespace renth {

Kriging::Kriging(State state) : state_(std::move(state)) {
  correlation_matrix(state_.runs, state_.nugget, factor_);
  cholesky_in_place(factor_);
  whitened_one_ = Eigen::VectorXd::Ones(state_.runs.rows());
  solve_lower(factor_, whitened_one_);
}

Eigen::MatrixXd Kriging::scaled(Points points) const {
  Eigen::MatrixXd x = features(state_.space, points);
  const std::vector<int> owner = feature_parameters(state_.space);
  for (Eigen::Index k = 0; k < x.cols(); ++k) x.col(k) /= state_.theta[owner[k]];
  return x;
}

void Kriging::whitened(const Eigen::MatrixXd& x, Eigen::MatrixXd& v, Eigen::VectorXd& trend) const {
  const Eigen::Index n = state_.runs.rows();
  v.resize(n, x.rows());
  Eigen::VectorXd point(x.cols());
  for (Eigen::Index i = 0; i < x.rows(); ++i) {
    point = x.row(i);
    matern::squared_distances(point.data(), state_.runs.data(), n, x.cols(), n, v.col(i).data());
  }
  matern::correlation(v.data(), v.data(), v.size());
  solve_lower(factor_, v);
  trend = Eigen::VectorXd::Ones(x.rows()) - v.transpose() * whitened_one_;
}

Prediction Kriging::predict(Points points, Want want) const {
  const Eigen::Index m = points.rows(), n = state_.runs.rows();
  Prediction out;
  out.degrees_of_freedom = static_cast<double>(n - 1);
  out.mean.resize(m, 1);
  const Eigen::MatrixXd x = scaled(points);
  Eigen::VectorXd scratch(n), point(x.cols());
  for (Eigen::Index i = 0; i < m; ++i) {
    point = x.row(i);
    out.mean(i, 0) = state_.mean + matern::weighted_sum(point.data(), state_.runs.data(), n, x.cols(), n,
                                                        state_.weights.data());
  }
  if (want.variance) {
    constexpr Eigen::Index block = 256;  // keeps the whitened block in cache
    out.model_variance.resize(m, 1);
    Eigen::MatrixXd v;
    Eigen::VectorXd trend;
    for (Eigen::Index at = 0; at < m; at += block) {
      const Eigen::Index rows = std::min(block, m - at);
      whitened(x.middleRows(at, rows), v, trend);
      out.model_variance.middleRows(at, rows) =
          state_.sigma2 * (1 - v.colwise().squaredNorm().transpose().array() +
                           trend.array().square() / whitened_one_.squaredNorm())
                              .max(0);
    }
    out.noise_variance =
        Eigen::MatrixXd::Constant(m, 1, state_.nugget_is_noise ? state_.sigma2 * state_.nugget : 0.0);
  }
  if (want.gradient) {
    Eigen::MatrixXd gradient = Eigen::MatrixXd::Zero(m, points.cols());
    const std::vector<int> owner = feature_parameters(state_.space);
    Eigen::VectorXd slope(n);
    for (Eigen::Index i = 0; i < m; ++i) {
      point = x.row(i);
      matern::squared_distances(point.data(), state_.runs.data(), n, x.cols(), n, scratch.data());
      matern::correlation_and_slope(scratch.data(), slope.data(), n);
      const Eigen::VectorXd pull = slope.cwiseProduct(state_.weights);
      for (Eigen::Index k = 0; k < x.cols(); ++k) {
        const Parameter& p = state_.space[owner[k]];
        if (p.is_choice()) continue;
        const double sum = -(pull.array() * (point[k] - state_.runs.col(k).array())).sum();
        gradient(i, owner[k]) = sum / (state_.theta[owner[k]] * (p.high - p.low));
      }
    }
    out.mean_gradient.push_back(std::move(gradient));
  }
  return out;
}

Eigen::MatrixXd Kriging::covariance(Points points, Eigen::Index) const {
  const Eigen::MatrixXd x = scaled(points);
  Eigen::MatrixXd v, prior;
  Eigen::VectorXd trend;
  whitened(x, v, trend);
  correlation_matrix(x, 0, prior);
  const Eigen::MatrixXd full = prior.selfadjointView<Eigen::Lower>();
  return state_.sigma2 * (full - v.transpose() * v + trend * trend.transpose() / whitened_one_.squaredNorm());
}

std::vector<double> Kriging::warm_start() const {
  std::vector<double> start;
  for (const double t : state_.theta) start.push_back(std::log(t));
  if (state_.nugget_is_noise) start.push_back(std::log(state_.nugget));
  return start;
}

Archive Kriging::save() const {
  ArchiveWriter out;
  save_space(out, state_.space);
  out.matrix(state_.theta);
  out.number(state_.nugget);
  out.count(state_.nugget_is_noise);
  out.number(state_.mean);
  out.number(state_.sigma2);
  out.number(state_.log_likelihood);
  out.matrix(state_.runs);
  out.matrix(state_.weights);
  return {"kriging", 1, out.take()};
}

std::unique_ptr<const Surrogate> Kriging::load(const Archive& archive) {
  ArchiveReader in(archive.bytes);
  State s;
  s.space = load_space(in);
  s.theta = in.matrix();
  s.nugget = in.number();
  s.nugget_is_noise = in.count() != 0;
  s.mean = in.number();
  s.sigma2 = in.number();
  s.log_likelihood = in.number();
  s.runs = in.matrix();
  s.weights = in.matrix();
  return std::make_unique<Kriging>(std::move(s));
}

}  // namespace renth
