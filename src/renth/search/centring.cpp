#include <cmath>
#include <renth/search/centring.hpp>
#include <renth/search/maximise.hpp>

namespace renth {

using Index = Eigen::Index;

SmoothYield::SmoothYield(const Specification& specification, Eigen::RowVectorXd scale, double softness,
                         Index draws, Seed seed)
    : specification_(specification),
      draw_(specification.predictor().problem().space),
      scale_(std::move(scale)),
      softness_(softness),
      units_(unit_sample(Sampling::sobol, 1, draws, draw_.dimensions() + specification.noise(), seed)),
      normals_(normal_scores(units_.rightCols(specification.noise()))) {}

Eigen::VectorXd SmoothYield::at(Points settings) const {
  const Index m = settings.rows(), n = units_.rows();
  const Eigen::MatrixXd real = draw_.round_each(settings, units_.leftCols(draw_.dimensions()));
  const Eigen::MatrixXd margins = specification_.at(real, normals_.replicate(m, 1)).margins;
  Eigen::VectorXd out(m);
  for (Index i = 0; i < m; ++i) {
    double sum = 0;
    for (Index k = i * n; k < (i + 1) * n; ++k) {
      const double worst =
          margins.row(k).allFinite() ? (margins.row(k).array() / scale_.array()).minCoeff() : -INFINITY;
      sum += 1 / (1 + std::exp(-worst / softness_));
    }
    out[i] = sum / double(n);
  }
  return out;
}

Centred centred(const Specification& specification, const Eigen::VectorXd& at, const CentringOptions& options,
                Seed seed) {
  const Space& space = specification.predictor().problem().space;
  const ScatterDraw draw(space);
  constexpr Index draws = 256, judged = 32'768;
  const auto judge = [&](const Eigen::VectorXd& point) {
    return draw_sample(draw, specification, point, Sampling::sobol, judged, hash64("centring judged", seed));
  };
  const ToleranceSample before = judge(at);
  Centred out{at, yield_of(before, options.level), {}, {}};
  ToleranceSample best = before;
  Eigen::VectorXd here = at;
  MaximiseOptions climb;
  climb.hold = options.hold;
  for (const double softness : {1.0, 0.3, 0.1}) {
    const SmoothYield yield(specification, margin_scales(specification, here, 512, seed), softness, draws,
                            hash64("centring", seed));
    here = climb_from(
               space, [&](Points x) { return Eigen::MatrixXd(yield.at(x)); }, climb, here)
               .point;
    ToleranceSample there = judge(here);
    if (there.hits().sum() > best.hits().sum()) {
      best = std::move(there);
      out.at = here;
    }
  }
  out.after = yield_of(best, options.level);
  for (Index k = 0; k < before.responses.cols(); ++k)
    out.means.push_back({specification.responses()[std::size_t(k)], before.responses.col(k).mean(),
                         best.responses.col(k).mean()});
  return out;
}

}  // namespace renth
