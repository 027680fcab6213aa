#include <cmath>
#include <renth/tolerance/tolerance.hpp>

namespace renth {

namespace {
using Index = Eigen::Index;
constexpr Index parts_of_sample = 32;
}  // namespace

Eigen::VectorXd ToleranceSample::hits(int limit) const {
  Eigen::VectorXd out = Eigen::VectorXd::Zero(parts);
  const Index each = size() / parts;
  for (Index i = 0; i < size(); ++i)
    out[i / each] += (limit < 0 ? passes(i) : margins(i, limit) >= 0) ? 1 : 0;
  return out;
}

ToleranceSample draw_sample(const ScatterDraw& draw, const Specification& specification,
                            const Eigen::VectorXd& at, Sampling method, Index count, Seed seed,
                            const Eigen::VectorXd& factors) {
  ToleranceSample out;
  out.method = method;
  out.at = at;
  out.parts = method == Sampling::random ? 1 : parts_of_sample;
  const Index each = (count + out.parts - 1) / out.parts;
  out.units = unit_sample(method, out.parts, each, draw.dimensions() + specification.noise(), seed);
  out.points = draw.around(at.transpose(), out.units.leftCols(draw.dimensions()), factors);
  Specification::Answer answer =
      specification.at(out.points, normal_scores(out.units.rightCols(specification.noise())));
  out.responses = std::move(answer.responses);
  out.margins = std::move(answer.margins);
  return out;
}

Estimate yield_of(const ToleranceSample& sample, double level, int limit) {
  return share_of_sample(sample.hits(limit), double(sample.size() / sample.parts), sample.method, level);
}

Eigen::RowVectorXd margin_scales(const Specification& specification, const Eigen::VectorXd& at, Index draws,
                                 Seed seed) {
  const ScatterDraw draw(specification.predictor().problem().space);
  const ToleranceSample pilot = draw_sample(draw, specification, at, Sampling::sobol, draws, seed);
  Eigen::RowVectorXd out = Eigen::RowVectorXd::Ones(pilot.margins.cols());
  for (Index l = 0; l < out.size(); ++l) {
    const Eigen::ArrayXd m = pilot.margins.col(l).array();
    const double sd = std::sqrt((m - m.mean()).square().mean());
    if (std::isfinite(sd) && sd > 0) out[l] = sd;
  }
  return out;
}

}  // namespace renth
