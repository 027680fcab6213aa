#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/surrogate/components.hpp>
#include <renth/surrogate/kinds.hpp>
#include <renth/surrogate/sound.hpp>

namespace renth {

using Index = Eigen::Index;

Prediction Components::answer(Points points, Want want) const {
  const Index m = points.rows(), q = state_.mean.size();
  Prediction out;
  out.degrees_of_freedom = std::numeric_limits<double>::infinity();
  const Eigen::MatrixXd shapes = state_.scale.asDiagonal() * state_.shapes;  // q × r, in the output's unit
  out.mean = state_.mean.transpose().replicate(m, 1);
  if (want.variance) {
    const Eigen::MatrixXd rest = state_.left_over.transpose().replicate(m, 1);
    out.model_variance = state_.noisy ? Eigen::MatrixXd::Zero(m, q) : rest;
    out.noise_variance = state_.noisy ? rest : Eigen::MatrixXd::Zero(m, q);
  }
  if (want.gradient) out.mean_gradient.assign(std::size_t(q), Eigen::MatrixXd::Zero(m, points.cols()));
  for (std::size_t k = 0; k < state_.scores.size(); ++k) {
    const Prediction z = state_.scores[k]->predict(points, {want.variance, want.gradient});
    const Eigen::RowVectorXd shape = shapes.col(Index(k)).transpose();
    out.mean += z.mean * shape;
    out.degrees_of_freedom = std::min(out.degrees_of_freedom, z.degrees_of_freedom);
    if (want.variance) {
      out.model_variance += z.model_variance * shape.cwiseAbs2();
      out.noise_variance += z.noise_variance * shape.cwiseAbs2();
    }
    if (want.parts)
      out.parts.push_back({deviations(z.model_variance) * shape, deviations(z.noise_variance) * shape});
    for (Index j = 0; want.gradient && j < q; ++j)
      out.mean_gradient[std::size_t(j)] += shape[j] * z.mean_gradient[0];
  }
  for (Index j = 0; want.parts && j < q; ++j) {  // what the shapes leave over, each axis point by itself
    ErrorPart rest{Eigen::MatrixXd::Zero(m, q), Eigen::MatrixXd::Zero(m, q)};
    (state_.noisy ? rest.noise : rest.model)
        .col(j)
        .setConstant(std::sqrt(std::max(0.0, state_.left_over[j])));
    out.parts.push_back(std::move(rest));
  }
  return out;
}

Eigen::MatrixXd Components::joint_covariance(Points points, Index output) const {
  Eigen::MatrixXd out = Eigen::MatrixXd::Zero(points.rows(), points.rows());
  for (std::size_t k = 0; k < state_.scores.size(); ++k) {
    const double v = state_.scale[output] * state_.shapes(output, Index(k));
    if (v != 0) out += v * v * state_.scores[k]->covariance(points, 0);
  }
  if (!state_.noisy) out.diagonal().array() += state_.left_over[output];
  return out;
}

Archive Components::save() const {
  ArchiveWriter out;
  out.matrix("mean", state_.mean);
  out.matrix("scale", state_.scale);
  out.matrix("left over", state_.left_over);
  out.matrix("shapes", state_.shapes);
  out.number("share", state_.share);
  out.count("noisy", state_.noisy);
  save_members(out, state_.scores);
  return out.take("components", 1);
}

std::unique_ptr<const Surrogate> Components::load(const Archive& archive) {
  ArchiveReader in(archive.bytes);
  State s;
  s.mean = in.vector();
  s.scale = in.vector();
  s.left_over = in.vector();
  s.shapes = in.matrix();
  s.share = in.number();
  s.noisy = in.count() != 0;
  s.scores = load_members(in);
  const Index q = s.mean.size();
  need_sound(q > 0 && is_finite(s.mean, q) && is_finite(s.scale, q) && is_finite(s.left_over, q) &&
             !s.scores.empty() && is_finite(s.shapes, q, Index(s.scores.size())));
  return std::make_unique<Components>(std::move(s));
}

}  // namespace renth
