// How far each parameter can move by itself before something is lost. Header-only: a page asks it at every
// move.
#pragma once
#include <Eigen/Core>
#include <algorithm>
#include <limits>
#include <renth/space/space.hpp>
#include <vector>

namespace renth {

/// What one parameter may be, the others held.
struct Reach {
  bool holds = false;        ///< at the setting itself
  double low = 0, high = 0;  ///< of a number: round the setting, without a gap; NaN if it does not hold there
  std::vector<double> values;  ///< levels, steps, sizes and choices: all that hold, ascending
};

struct ReachOptions {
  int along =
      41;  ///< places on a span that are looked at first: a gap narrower than their distance is missed
  int sections = 8;  ///< an end is then sought between two places, each round so many times more closely
  int rounds = 6;
};

namespace detail {

/// Places on one parameter's span, the setting's own among them, ascending.
inline std::vector<double> places_on(const Parameter& p, double at, int along) {
  std::vector<double> out;
  if (p.is_discrete())
    for (int i = 0; i < p.settable_count(); ++i) out.push_back(p.settable(i));
  else
    for (int i = 0; i < along; ++i) out.push_back(p.low + (p.high - p.low) * i / (along - 1));
  const auto place = std::lower_bound(out.begin(), out.end(), at);
  if (place == out.end() || *place != at) out.insert(place, at);
  return out;
}

/// An end between a place that holds and one that does not.
struct OpenEnd {
  Eigen::Index parameter;
  bool upper;
  double holds, fails;
};

/// The reach at the places looked at first; ends that lie between two of them go to `open`.
inline Reach reach_at(const std::vector<double>& places, const Eigen::VectorXd& margins, Eigen::Index own,
                      bool discrete, Eigen::Index parameter, std::vector<OpenEnd>& open) {
  Reach r;
  r.low = r.high = std::numeric_limits<double>::quiet_NaN();
  for (Eigen::Index i = 0; discrete && i < margins.size(); ++i)
    if (margins[i] >= 0) r.values.push_back(places[std::size_t(i)]);
  r.holds = margins[own] >= 0;
  if (!r.holds) return r;
  Eigen::Index low = own, high = own;
  while (low > 0 && margins[low - 1] >= 0) --low;
  while (high + 1 < margins.size() && margins[high + 1] >= 0) ++high;
  r.low = places[std::size_t(low)];
  r.high = places[std::size_t(high)];
  if (discrete) return r;
  if (low > 0) open.push_back({parameter, false, r.low, places[std::size_t(low - 1)]});
  if (high + 1 < margins.size()) open.push_back({parameter, true, r.high, places[std::size_t(high + 1)]});
  return r;
}

/// Moves all ends closer, one round: each between two of its sections.
template <class Margin>
void close_in(const Eigen::VectorXd& at, const Margin& margin, Eigen::Index sections,
              std::vector<OpenEnd>& open) {
  Eigen::MatrixXd between = at.transpose().replicate(Eigen::Index(open.size()) * sections, 1);
  for (std::size_t e = 0; e < open.size(); ++e)
    for (Eigen::Index i = 0; i < sections; ++i)
      between(Eigen::Index(e) * sections + i, open[e].parameter) =
          open[e].holds + (open[e].fails - open[e].holds) * double(i + 1) / double(sections + 1);
  const Eigen::VectorXd m = margin(between);
  for (std::size_t e = 0; e < open.size(); ++e) {
    const double holds = open[e].holds, width = (open[e].fails - holds) / double(sections + 1);
    Eigen::Index i = 0;
    while (i < sections && m[Eigen::Index(e) * sections + i] >= 0) ++i;
    open[e].holds = holds + width * double(i);
    open[e].fails = holds + width * double(i + 1);
  }
}

}  // namespace detail

/// Each parameter by itself, the others held at `at`. All parameters are asked together, first at many
/// places, then more and more closely at the ends.
///
/// \param margin  m × d points in, m margins out: ≥ 0 holds; NaN does not. Limits of the space are not asked
///                besides: put them into the margin.
/// \returns       d.
template <class Margin>
std::vector<Reach> reach_of_each(const Space& space, const Eigen::VectorXd& at, const Margin& margin,
                                 const ReachOptions& options = {}) {
  const Eigen::Index d = space.size();
  std::vector<std::vector<double>> places;
  Eigen::Index count = 0;
  for (Eigen::Index j = 0; j < d; ++j) {
    places.push_back(detail::places_on(space[j], at[j], options.along));
    count += Eigen::Index(places.back().size());
  }
  Eigen::MatrixXd points = at.transpose().replicate(count, 1);
  Eigen::Index row = 0;
  for (Eigen::Index j = 0; j < d; ++j)
    for (const double v : places[std::size_t(j)]) points(row++, j) = v;
  const Eigen::VectorXd first = margin(points);
  std::vector<Reach> out;
  std::vector<detail::OpenEnd> open;
  row = 0;
  for (Eigen::Index j = 0; j < d; ++j) {
    const std::vector<double>& v = places[std::size_t(j)];
    const auto own = Eigen::Index(std::lower_bound(v.begin(), v.end(), at[j]) - v.begin());
    out.push_back(detail::reach_at(v, first.segment(row, Eigen::Index(v.size())), own, space[j].is_discrete(),
                                   j, open));
    row += Eigen::Index(v.size());
  }
  for (int round = 0; round < options.rounds && !open.empty(); ++round)
    detail::close_in(at, margin, options.sections, open);
  for (const detail::OpenEnd& e : open)
    (e.upper ? out[std::size_t(e.parameter)].high : out[std::size_t(e.parameter)].low) = e.holds;
  return out;
}

}  // namespace renth
