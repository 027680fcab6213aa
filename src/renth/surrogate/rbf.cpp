#include <algorithm>
#include <cmath>
#include <renth/numeric/dense.hpp>
#include <renth/space/features.hpp>
#include <renth/surrogate/rbf.hpp>
#include <renth/surrogate/sound.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// dφ/d(r²).
double slope_of(RadialBasis basis, double c, double squared) {
  const double r2 = std::max(squared, 1e-300);
  switch (basis) {
    case RadialBasis::cubic:
      return 1.5 * std::sqrt(squared);
    case RadialBasis::thin_plate:
      return 0.5 * (std::log(r2) + 1);
    case RadialBasis::multiquadric:
      return -0.5 / std::sqrt(squared + c * c);
    default:
      return -std::exp(-squared / (c * c)) / (c * c);
  }
}

/// φ(0), the generalised covariance of a point with itself.
double at_zero(RadialBasis basis, double c) {
  return basis == RadialBasis::multiquadric ? -c : basis == RadialBasis::gaussian ? 1 : 0;
}

}  // namespace

void radial(RadialBasis basis, double c, Eigen::Ref<Eigen::ArrayXXd> squared) {
  switch (basis) {
    case RadialBasis::cubic:
      squared *= squared.sqrt();
      break;
    case RadialBasis::thin_plate:
      squared *= 0.5 * squared.max(1e-300).log();
      break;
    case RadialBasis::multiquadric:
      squared = -(squared + c * c).sqrt();
      break;
    case RadialBasis::gaussian:
      squared = (-squared / (c * c)).exp();
      break;
  }
}

Eigen::MatrixXd bordered_matrix(RadialBasis basis, double shape, double smoothing, const Eigen::MatrixXd& x,
                                const Eigen::MatrixXd& tail) {
  const Index n = x.rows(), p = tail.cols();
  Eigen::ArrayXXd phi(n, n);
  for (Index j = 0; j < n; ++j) phi.col(j) = (x.rowwise() - x.row(j)).rowwise().squaredNorm();
  radial(basis, shape, phi);
  Eigen::MatrixXd out = Eigen::MatrixXd::Zero(n + p, n + p);
  out.topLeftCorner(n, n) = phi;
  out.diagonal().head(n).array() += smoothing;
  out.topRightCorner(n, p) = tail;
  out.bottomLeftCorner(p, n) = tail.transpose();
  return out;
}

Eigen::MatrixXd Rbf::columns(Points points) const {
  const Eigen::MatrixXd x = features(state_.space, points);
  const Index n = state_.runs.rows(), m = x.rows(), p = Index(state_.tail.size());
  Eigen::MatrixXd out(n + p, m);
  for (Index i = 0; i < m; ++i) {
    Eigen::ArrayXXd phi = (state_.runs.rowwise() - x.row(i)).rowwise().squaredNorm();
    radial(state_.basis, state_.shape, phi);
    out.col(i).head(n) = phi.matrix();
  }
  out.bottomRows(p) = model_matrix(state_.space, state_.tail, points).transpose();
  return out;
}

const Eigen::MatrixXd& Rbf::inverse() const {
  return inverse_.get([this]() -> Eigen::MatrixXd {
    return LuFactor(
               bordered_matrix(state_.basis, state_.shape, state_.smoothing, state_.runs, state_.tail_matrix))
        .inverse();
  });
}

Prediction Rbf::answer(Points points, Want want) const {
  const Index n = state_.runs.rows(), m = points.rows();
  Prediction out;
  out.degrees_of_freedom = double(n - Index(state_.tail.size()));
  const Eigen::MatrixXd k = columns(points);
  out.mean = (k.transpose() * state_.weights).array() + state_.centre;
  if (want.variance) {
    const double own = at_zero(state_.basis, state_.shape);
    const Eigen::ArrayXd power = own - k.cwiseProduct(inverse() * k).colwise().sum().transpose().array();
    out.model_variance = (state_.scale * power.max(0)).matrix();
    out.noise_variance.setConstant(m, 1, state_.noisy ? state_.scale * state_.smoothing : 0.0);
  }
  if (want.gradient) {
    const Eigen::MatrixXd x = features(state_.space, points);
    const std::vector<int> owner = feature_parameters(state_.space);
    Eigen::MatrixXd gradient(m, points.cols());
    for (Index j = 0; j < points.cols(); ++j)
      gradient.col(j) = model_matrix_slope(state_.space, state_.tail, points, j) *
                        state_.weights.tail(Index(state_.tail.size()));
    for (Index i = 0; i < m; ++i) {
      Eigen::VectorXd pull(n);
      for (Index r = 0; r < n; ++r)
        pull[r] = 2 * state_.weights[r] *
                  slope_of(state_.basis, state_.shape, (x.row(i) - state_.runs.row(r)).squaredNorm());
      for (Index f = 0; f < x.cols(); ++f) {
        const Parameter& p = state_.space[owner[std::size_t(f)]];
        if (p.is_choice()) continue;
        gradient(i, owner[std::size_t(f)]) +=
            (pull.array() * (x(i, f) - state_.runs.col(f).array())).sum() / (p.high - p.low);
      }
    }
    out.mean_gradient.push_back(std::move(gradient));
  }
  return out;
}

Eigen::MatrixXd Rbf::joint_covariance(Points points, Index) const {
  const Eigen::MatrixXd k = columns(points), x = features(state_.space, points);
  Eigen::ArrayXXd prior(x.rows(), x.rows());
  for (Index j = 0; j < x.rows(); ++j) prior.col(j) = (x.rowwise() - x.row(j)).rowwise().squaredNorm();
  radial(state_.basis, state_.shape, prior);
  const Eigen::MatrixXd out = state_.scale * (prior.matrix() - k.transpose() * inverse() * k);
  return 0.5 * (out + out.transpose());
}

Archive Rbf::save() const {
  ArchiveWriter out;
  save_space(out, state_.space);
  out.count("basis", static_cast<int>(state_.basis));
  out.number("shape", state_.shape);
  out.number("shape factor", state_.shape_factor);
  out.number("smoothing", state_.smoothing);
  out.matrix("runs", state_.runs);
  out.text("tail", describe(state_.space, state_.tail));
  out.matrix("tail matrix", state_.tail_matrix);
  out.matrix("weights", state_.weights);
  out.number("centre", state_.centre);
  out.number("scale", state_.scale);
  out.count("noisy", state_.noisy);
  return out.take("rbf", 1);
}

std::unique_ptr<const Surrogate> Rbf::load(const Archive& archive) {
  ArchiveReader in(archive.bytes);
  State s;
  s.space = load_space(in);
  s.basis = static_cast<RadialBasis>(std::clamp<std::int64_t>(in.count(), 0, 3));
  s.shape = in.number();
  s.shape_factor = in.number();
  s.smoothing = in.number();
  s.runs = in.matrix();
  s.tail = parse_terms(s.space, in.text());
  s.tail_matrix = in.matrix();
  s.weights = in.vector();
  s.centre = in.number();
  s.scale = in.number();
  s.noisy = in.count() != 0;
  const Eigen::Index n = s.runs.rows(), p = Eigen::Index(s.tail.size());
  need_sound(are_runs(s.runs, s.space) && is_finite(s.tail_matrix, n, p) && is_finite(s.weights, n + p) &&
             std::isfinite(s.shape) && std::isfinite(s.smoothing) && std::isfinite(s.scale));
  return std::make_unique<Rbf>(std::move(s));
}

}  // namespace renth
