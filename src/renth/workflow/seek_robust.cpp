#include <fmt/format.h>

#include <cmath>
#include <renth/base/error.hpp>
#include <renth/space/region.hpp>
#include <renth/workflow/seek_robust.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;
constexpr Index draws_round = 32;

/// By one standard deviation of what is drawn worse than the mean; of a target by how far it is missed.
double made_worse(const Goal& goal, double mean, double sd) {
  if (goal.aim == Goal::Aim::maximise) return mean - sd;
  if (goal.aim == Goal::Aim::minimise) return mean + sd;
  const double miss = std::hypot(mean - goal.target, sd);
  return mean < goal.target ? goal.target - miss : goal.target + miss;
}

}  // namespace

RobustSearch::RobustSearch(Session& session, const FittedStudy& fitted, Seed seed, Notes& notes)
    : study_(session.study), draw_(study_.space), seed_(hash64("robust", seed)) {
  if (draw_.dimensions() == 0)
    throw Error("no parameter has scatter", "seek --robust",
                "say in study.toml how they drift: scatter = { normal = 0.05 }");
  units_ = unit_sample(Sampling::sobol, 1, draws_round, draw_.dimensions(), seed_);
  bool limited = false;
  for (std::size_t k = 0; k < study_.responses.size(); ++k)
    limited = limited || (study_.responses[k].accept.any() && fitted.has(int(k)));
  if (!limited) return;
  production_ =
      std::make_unique<ProductionModel>(session, fitted, std::vector<std::pair<std::string, std::string>>{},
                                        std::vector<std::string>{}, SpecificationOptions{}, notes);
  Eigen::VectorXd place = study_.space.nominal();
  if (!study_.space.allows(place)) place = region_points(study_.space, 1).row(0);
  constexpr double softness = 0.1;
  yield_ = std::make_unique<SmoothYield>(production_->specification(),
                                         margin_scales(production_->specification(), place, 512, seed_),
                                         softness, draws_round, seed_);
}

void RobustSearch::change(SeekProblem& problem, std::size_t& columns, const MaximiseOptions& search,
                          Notes& notes) {
  const std::size_t before = columns;
  if (has_yield()) ++columns;
  problem.responses = [this, base = problem.responses, goals = problem.goals, before, columns](Points x) {
    const Index m = x.rows(), n = units_.rows();
    const Eigen::MatrixXd y = base(draw_.round_each(x, units_));
    Eigen::MatrixXd out(m, Index(columns));
    for (Index i = 0; i < m; ++i) {
      const auto drawn = y.middleRows(i * n, n);
      out.row(i).head(y.cols()) = drawn.colwise().mean();
      if (has_yield()) continue;
      for (const Goal& g : goals) {
        const double mean = out(i, g.response);
        const double sd = std::sqrt((drawn.col(g.response).array() - mean).square().mean());
        out(i, g.response) = made_worse(g, mean, sd);
      }
    }
    if (has_yield()) out.col(Index(before)) = yield_->at(x);
    return out;
  };
  if (!has_yield()) {
    add_note(notes, "robust",
             "robust: of each goal the mean under scatter, made worse by one standard deviation");
    return;
  }
  const std::vector<Maximum> found = maximise(
      problem.space, [this](Points x) { return Eigen::MatrixXd(yield_->at(x)); }, search, seed_);
  constexpr double spare = 0.01;
  const double most = found.empty() ? 0 : found.front().value, wanted = std::max(0.0, most - spare);
  problem.constraints.push_back(
      {fmt::format("yield >= {:.3f}", wanted),
       [before, wanted](const double*, const double* y) { return y[before] - wanted; }, 1});
  add_note(notes, "robust",
           fmt::format("robust: the yield first, to within a hundredth of the largest that was found "
                       "({:.3f}, in and out of "
                       "specification a little rounded off); then the goals' means under scatter",
                       most));
}

}  // namespace renth
