#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/sensitivity/runs.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// Labels among which no way is up.
bool unordered(const Parameter& p) {
  return p.is_choice() && p.choices.size() > 2;
}

/// Changes of the response per span, of each parameter, from consecutive runs that differ in it alone.
std::vector<std::vector<double>> effects_in(const Space& space, const Data& data, const Eigen::VectorXd& y) {
  std::vector<std::vector<double>> out(std::size_t(space.size()));
  for (Index i = 1; i < data.size(); ++i) {
    Index changed = -1;
    for (Index j = 0; j < space.size() && changed != -2; ++j)
      if (data.inputs(i, j) != data.inputs(i - 1, j)) changed = changed == -1 ? j : -2;
    if (changed < 0 || (data.blocks.size() > 0 && data.blocks[i] != data.blocks[i - 1])) continue;
    const Parameter& p = space[changed];
    const double span = p.is_choice() ? double(p.choices.size() - 1) : p.high - p.low;
    const double step = unordered(p) ? 1 : (data.inputs(i, changed) - data.inputs(i - 1, changed)) / span;
    out[std::size_t(changed)].push_back((y[i] - y[i - 1]) / step);
  }
  return out;
}

struct Summary {
  double mean = 0, absolute = 0, spread = undefined, low = undefined, high = undefined;
};

Summary summary_of(const std::vector<double>& effects, double level) {
  const double n = double(effects.size());
  Summary out;
  for (const double e : effects) {
    out.mean += e / n;
    out.absolute += std::abs(e) / n;
  }
  if (n < 2) return out;
  double squares = 0, of_absolute = 0;
  for (const double e : effects) {
    squares += std::pow(e - out.mean, 2);
    of_absolute += std::pow(std::abs(e) - out.absolute, 2);
  }
  out.spread = std::sqrt(squares / (n - 1));
  const double half = student_t_width(level, n - 1) * std::sqrt(of_absolute / (n - 1) / n);
  out.low = std::max(0.0, out.absolute - half);
  out.high = out.absolute + half;
  return out;
}

/// Inert below a twentieth of the largest; linear if all effects are much the same (the tenth and the half of
/// the absolute mean are those of D. Garcia Sanchez and others, Energy and Buildings 68, 2014).
std::string reading(const Summary& s, double largest, bool choice) {
  if (s.absolute <= 0.05 * largest) return "inert";
  if (std::isnan(s.spread)) return "too few paths";
  if (choice) return s.spread < 0.1 * s.absolute ? "alike everywhere" : "unlike, or interacting";
  if (s.spread < 0.1 * s.absolute) return "linear";
  return s.absolute - std::abs(s.mean) < 1e-9 * s.absolute ? "monotonic" : "curved or interacting";
}

}  // namespace

Ranking elementary_effects(const Space& space, const Data& data, double level) {
  const Eigen::VectorXd y = detail::output_of_runs(space, data, 2);
  const std::vector<std::vector<double>> effects = effects_in(space, data, y);
  std::vector<std::string> never;
  for (Index j = 0; j < space.size(); ++j)
    if (effects[std::size_t(j)].empty()) never.push_back(space[j].name);
  if (!never.empty())
    throw Error(
        Index(never.size()) == space.size()
            ? std::string("these runs are no trajectories: no run differs from the one before in one "
                          "parameter alone")
            : fmt::format("these runs are no trajectories: {} never change{} alone from one run to the next",
                          listed(never), never.size() == 1 ? "s" : ""),
        "runs", "plan them one parameter at a time along paths");
  std::vector<Summary> all;
  double largest = 0, squares = 0;
  for (const auto& e : effects) {
    all.push_back(summary_of(e, level));
    largest = std::max(largest, all.back().absolute);
    squares += std::pow(all.back().absolute, 2);
  }
  Ranking out;
  out.method = "trajectories";
  out.variance = (y.array() - y.mean()).square().sum() / double(y.size() - 1);
  for (Index j = 0; j < space.size(); ++j) {
    const Summary& s = all[std::size_t(j)];
    RankedParameter p;
    p.parameter = j;
    p.share = squares > 0 ? s.absolute * s.absolute / squares : 0;
    p.low = squares > 0 ? std::min(1.0, s.low * s.low / squares) : 0;
    p.high = squares > 0 ? std::min(1.0, s.high * s.high / squares) : 0;
    const std::string says = reading(s, largest, space[j].is_choice());
    p.measures = {{"mean", "mean", unordered(space[j]) ? undefined : s.mean},
                  {"absolute", "absolute mean", s.absolute, s.low, s.high},
                  {"spread", "spread", s.spread},
                  {"steps", "steps", double(effects[std::size_t(j)].size())},
                  {"says", "says", undefined, undefined, undefined, says}};
    const bool one_way = s.absolute - std::abs(s.mean) < 1e-9 * s.absolute;
    p.direction = says == "inert"                    ? "none"
                  : !one_way || space[j].is_choice() ? "mixed"
                  : s.mean > 0                       ? "up"
                                                     : "down";
    out.parameters.push_back(std::move(p));
  }
  sort_by_share(out);
  return out;
}

}  // namespace renth
