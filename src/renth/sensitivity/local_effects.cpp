#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/sensitivity/slopes.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// The values that a parameter can take alone, ascending, as far as the limits let it go from the setting.
std::vector<double> way_of(const Space& space, const Eigen::VectorXd& at, Index j) {
  constexpr int steps = 65;
  const Parameter& p = space[j];
  std::vector<double> values;
  if (p.is_between())
    for (int i = 0; i < steps; ++i) values.push_back(p.low + (p.high - p.low) * i / (steps - 1));
  else
    for (int i = 0; i < p.settable_count(); ++i) values.push_back(p.settable(i));
  if (p.is_between() && std::find(values.begin(), values.end(), at[j]) == values.end())
    values.insert(std::upper_bound(values.begin(), values.end(), at[j]), at[j]);
  std::vector<double> out;
  for (const double v : values) {
    Eigen::VectorXd x = at;
    x[j] = v;
    if (space.allows(x)) {
      out.push_back(v);
    } else if (p.is_between()) {  // beyond a limit nobody gets by this parameter alone
      if (v > at[j]) break;
      out.clear();
    }
  }
  return out;
}

}  // namespace

Ranking local_effects(const Space& space, const Evaluate& model, const DifferenceVariance& variance,
                      const Eigen::VectorXd& at, double level) {
  for (Index j = 0; j < space.size(); ++j)
    if (at[j] < space[j].low || (at[j] > space[j].high && !space[j].is_choice()))
      throw Error(fmt::format("{}={:g} lies outside its span {:g} … {:g}", space[j].name, at[j], space[j].low,
                              space[j].high),
                  "at " + describe(space, at), "choose a setting inside the spans");
  if (!space.allows(at))
    throw Error("this setting breaks a limit", "at " + describe(space, at), "choose one that is allowed");
  const auto mean_of = [&](Points x) { return Eigen::MatrixXd(model(x).rowwise().mean()); };
  const double here = mean_of(at.transpose())(0, 0);
  Ranking out;
  out.method = "local";
  double squares = 0;
  struct Swing {
    double swing = 0, low = 0, high = 0;
  };
  std::vector<Swing> swings;
  for (Index j = 0; j < space.size(); ++j) {
    const std::vector<double> way = way_of(space, at, j);
    Eigen::MatrixXd points = at.transpose().replicate(Index(way.size()), 1);
    for (std::size_t i = 0; i < way.size(); ++i) points(Index(i), j) = way[i];
    const Eigen::VectorXd y = mean_of(points).col(0);
    Index least = 0, most = 0;
    Swing s;
    s.swing = y.maxCoeff(&most) - y.minCoeff(&least);
    const double half =
        student_t_width(level, INFINITY) *
        std::sqrt(std::max(0.0, variance(points.row(most).transpose(), points.row(least).transpose())));
    s.low = std::max(0.0, s.swing - half);
    s.high = s.swing + half;
    const bool number = !space[j].is_choice();
    const double slope =
        number && space[j].is_between() ? slopes(space, mean_of, at.transpose(), j)(0, 0) : undefined;
    RankedParameter p;
    p.parameter = j;
    p.measures = {{"slope", "slope", slope},
                  {"per_cent", "% for %", here != 0 ? slope * at[j] / here : undefined},
                  {"at_low", "at its low end", number ? y[0] : undefined},
                  {"at_high", "at its high end", number ? y[y.size() - 1] : undefined},
                  {"smallest", "smallest", y[least]},
                  {"largest", "largest", y[most]},
                  {"swing", "swing", s.swing, s.low, s.high}};
    p.direction = s.swing <= 1e-9 * std::abs(here) ? "none"
                  : number                         ? direction_of(std::vector<double>(y.begin(), y.end()))
                                                   : "mixed";
    squares += s.swing * s.swing;
    swings.push_back(s);
    out.parameters.push_back(std::move(p));
  }
  for (std::size_t j = 0; j < swings.size(); ++j) {
    const auto share = [&](double swing) { return squares > 0 ? std::min(1.0, swing * swing / squares) : 0; };
    out.parameters[j].share = share(swings[j].swing);
    out.parameters[j].low = share(swings[j].low);
    out.parameters[j].high = share(swings[j].high);
  }
  sort_by_share(out);
  return out;
}

}  // namespace renth
