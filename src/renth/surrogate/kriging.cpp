#include <algorithm>
#include <cmath>
#include <renth/numeric/cholesky.hpp>
#include <renth/numeric/dense.hpp>
#include <renth/space/features.hpp>
#include <renth/surrogate/kriging.hpp>
#include <renth/surrogate/sound.hpp>

namespace renth {

Eigen::MatrixXd scaled(const Space& space, const Eigen::VectorXd& theta, Eigen::MatrixXd x) {
  const std::vector<int> owner = feature_lengths(space);
  for (Eigen::Index k = 0; k < x.cols(); ++k) x.col(k) /= theta[owner[k]];
  return x;
}

Eigen::MatrixXd scaled_features(const Space& space, const Eigen::VectorXd& theta, Points points) {
  return scaled(space, theta, features(space, points));
}

Terms trend_terms(const Space& space, const std::string& trend) {
  Terms terms = parse_terms(space, trend == "constant" ? "1" : trend);
  if (terms.empty() || !terms.front().factors.empty()) terms.insert(terms.begin(), Term{});
  return terms;
}

Kriging::Kriging(State state)
    : state_(std::move(state)),
      sums_(state_.kernel, state_.runs.data(), state_.runs.cols(), state_.runs.rows(),
            state_.weights.data()) {}

const Kriging::Factors& Kriging::factors() const {
  return factors_.get([this] {
    Factors f;
    correlation_matrix(state_.kernel, state_.runs, state_.nugget, f.factor);
    cholesky_in_place(f.factor);
    f.whitened_trend = state_.terms;
    solve_lower(f.factor, f.whitened_trend);
    f.trend_factor = QrFactor(f.whitened_trend).triangle();
    return f;
  });
}

void Kriging::whitened(Points points, const Eigen::MatrixXd& x, Eigen::MatrixXd& v,
                       Eigen::MatrixXd& trend) const {
  const Eigen::Index n = state_.runs.rows();
  const Factors& f = factors();
  v.resize(n, x.rows());
  Eigen::VectorXd point(x.cols());
  for (Eigen::Index i = 0; i < x.rows(); ++i) {
    point = x.row(i);
    kernels::correlations(state_.kernel, point.data(), state_.runs.data(), n, x.cols(), n, v.col(i).data());
  }
  solve_lower(f.factor, v);
  trend = model_matrix(state_.space, state_.trend, points).transpose() - f.whitened_trend.transpose() * v;
  trend = solve_upper_transposed(f.trend_factor, std::move(trend));
}

Prediction Kriging::answer(Points points, Want want) const {
  const Eigen::Index m = points.rows(), n = state_.runs.rows();
  Prediction out;
  out.degrees_of_freedom = static_cast<double>(n - state_.terms.cols());
  const Eigen::MatrixXd x = scaled_features(state_.space, state_.theta, points);
  out.mean = model_matrix(state_.space, state_.trend, points) * state_.beta;
  const Eigen::MatrixXd by_point = x.transpose();
  Eigen::VectorXd sums(m);
  sums_(by_point.data(), m, sums.data());
  out.mean.array() += state_.centre + sums.array();
  if (want.variance) {
    out.model_variance = variances(points, x);
    out.noise_variance =
        Eigen::MatrixXd::Constant(m, 1, state_.nugget_is_noise ? state_.sigma2 * state_.nugget : 0.0);
  }
  if (want.gradient) out.mean_gradient.push_back(gradients(points, x));
  return out;
}

Eigen::VectorXd Kriging::variances(Points points, const Eigen::MatrixXd& x) const {
  constexpr Eigen::Index block = 256;  // keeps the whitened block in cache
  const Eigen::Index m = points.rows();
  Eigen::VectorXd out(m);
  Eigen::MatrixXd v, trend;
  for (Eigen::Index at = 0; at < m; at += block) {
    const Eigen::Index rows = std::min(block, m - at);
    whitened(points.middleRows(at, rows), x.middleRows(at, rows), v, trend);
    out.segment(at, rows) = state_.sigma2 * (1 - v.colwise().squaredNorm().transpose().array() +
                                             trend.colwise().squaredNorm().transpose().array())
                                                .max(0);
  }
  return out;
}

Eigen::MatrixXd Kriging::gradients(Points points, const Eigen::MatrixXd& x) const {
  const Eigen::Index m = points.rows(), n = state_.runs.rows();
  Eigen::MatrixXd gradient = Eigen::MatrixXd::Zero(m, points.cols());
  const std::vector<int> parameter = feature_parameters(state_.space), length = feature_lengths(state_.space);
  if (state_.trend.size() > 1)
    for (Eigen::Index j = 0; j < points.cols(); ++j)
      gradient.col(j) = model_matrix_slope(state_.space, state_.trend, points, j) * state_.beta;
  Eigen::VectorXd slope(n), scratch(n);
  for (Eigen::Index i = 0; i < m; ++i) {
    const Eigen::VectorXd point = x.row(i);
    kernels::correlations_and_slopes(state_.kernel, point.data(), state_.runs.data(), n, x.cols(), n,
                                     scratch.data(), slope.data());
    const Eigen::VectorXd pull = slope.cwiseProduct(state_.weights);
    for (Eigen::Index k = 0; k < x.cols(); ++k) {
      const Parameter& p = state_.space[parameter[k]];
      if (p.is_choice()) continue;
      double sum = 0;
      for (Eigen::Index r = 0; r < n; ++r) {
        const double d = point[k] - state_.runs(r, k);
        sum -= pull[r] * d * kernels::slope_factor(state_.kernel, d);
      }
      gradient(i, parameter[k]) += sum / (state_.theta[length[k]] * (p.high - p.low));
    }
  }
  return gradient;
}

Eigen::MatrixXd Kriging::joint_covariance(Points points, Eigen::Index) const {
  const Eigen::MatrixXd x = scaled_features(state_.space, state_.theta, points);
  Eigen::MatrixXd v, prior, trend;
  whitened(points, x, v, trend);
  correlation_matrix(state_.kernel, x, 0, prior);
  const Eigen::MatrixXd full = prior.selfadjointView<Eigen::Lower>();
  return state_.sigma2 * (full - v.transpose() * v + trend.transpose() * trend);
}

Archive Kriging::save() const {
  ArchiveWriter out;
  state_.Process::save(out);
  out.number("log likelihood", state_.log_likelihood);
  out.matrix("runs", state_.runs);
  out.matrix("terms", state_.terms);
  out.matrix("weights", state_.weights);
  return out.take("kriging", 2);
}

std::unique_ptr<const Surrogate> Kriging::load(const Archive& archive) {
  ArchiveReader in(archive.bytes);
  State s;
  if (archive.version < 2) {  // Matérn 5/2 about a constant, one length a parameter
    s.space = load_space(in);
    const Eigen::VectorXd theta = in.vector();
    const std::vector<int> parameter = feature_parameters(s.space), length = feature_lengths(s.space);
    need_sound(is_finite(theta, s.space.size()) && (theta.array() > 0).all());
    s.theta.resize(length.back() + 1);
    for (std::size_t k = 0; k < length.size(); ++k) s.theta[length[k]] = theta[parameter[k]];
    s.trend = {Term{}};
    s.nugget = in.number();
    s.nugget_is_noise = in.count() != 0;
    s.centre = in.number();
    s.beta.setZero(1);
    s.sigma2 = in.number();
    s.log_likelihood = in.number();
    s.runs = in.matrix();
    s.weights = in.vector();
    s.terms.setOnes(s.runs.rows(), 1);
    need_sound(are_runs(s.runs, s.space) && is_finite(s.weights, s.runs.rows()));
    return std::make_unique<Kriging>(std::move(s));
  }
  s.Process::load(in);
  s.log_likelihood = in.number();
  s.runs = in.matrix();
  s.terms = in.matrix();
  s.weights = in.vector();
  need_sound(are_runs(s.runs, s.space) && is_finite(s.terms, s.runs.rows(), Eigen::Index(s.trend.size())) &&
             is_finite(s.weights, s.runs.rows()));
  return std::make_unique<Kriging>(std::move(s));
}

}  // namespace renth
