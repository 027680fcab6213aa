#include <cmath>
#include <renth/numeric/distributions.hpp>
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
  const Eigen::MatrixXd normals =
      out.units.rightCols(specification.noise()).unaryExpr([](double u) { return normal_quantile(u); });
  Specification::Answer answer = specification.at(out.points, normals);
  out.responses = std::move(answer.responses);
  out.margins = std::move(answer.margins);
  return out;
}

Estimate yield_of(const ToleranceSample& sample, double level, int limit) {
  return share_of_sample(sample.hits(limit), double(sample.size() / sample.parts), sample.method, level);
}

}  // namespace renth
