#include <algorithm>
#include <cmath>
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

}  // namespace

Eigen::MatrixXd Rbf::to_runs(const Eigen::MatrixXd& x) const {
  return radial_matrix(state_.basis, state_.shape, state_.runs, x);
}

Eigen::MatrixXd Rbf::tail_at(Points points) const {
  return model_matrix(state_.space, state_.tail, points).transpose();
}

const RadialSystem& Rbf::system() const {
  return *system_.get([this] {
    return std::make_unique<const RadialSystem>(state_.basis, state_.shape, state_.smoothing, state_.runs,
                                                state_.tail_matrix);
  });
}

Prediction Rbf::answer(Points points, Want want) const {
  const Index n = state_.runs.rows(), m = points.rows();
  Prediction out;
  out.degrees_of_freedom = double(n - Index(state_.tail.size()));
  const Eigen::MatrixXd x = features(state_.space, points), k = to_runs(x), t = tail_at(points);
  out.mean =
      (k.transpose() * state_.weights.head(n) + t.transpose() * state_.weights.tail(t.rows())).array() +
      state_.centre;
  if (want.variance) {
    out.model_variance = state_.scale * system().variances(k, t);
    out.noise_variance.setConstant(m, 1, state_.noisy ? state_.scale * state_.smoothing : 0.0);
  }
  if (want.gradient) {
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
  const Eigen::MatrixXd x = features(state_.space, points);
  return state_.scale *
         system().covariance(radial_matrix(state_.basis, state_.shape, x, x), to_runs(x), tail_at(points));
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
