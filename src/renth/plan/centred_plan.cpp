#include <algorithm>
#include <cmath>
#include <renth/plan/centred_plan.hpp>
#include <set>

namespace renth {
namespace {

using Eigen::Index;

/// Three or five values, symmetrical as far as rounding lets them.
struct Levels {
  Index column;
  std::vector<double> values;
  double centre() const { return values[values.size() / 2]; }
  CentredColumn as_column() const {
    const bool five = values.size() == 5;
    return {values[five ? 1 : 0], values[five ? 3 : 2], values.front(), values.back()};
  }
};

std::optional<Levels> symmetrical_levels(const Eigen::MatrixXd& values, Index column) {
  constexpr double rounding = 0.005;  // of the range
  if (!values.col(column).allFinite()) return std::nullopt;
  const std::set<double> distinct(values.col(column).begin(), values.col(column).end());
  if (distinct.size() != 3 && distinct.size() != 5) return std::nullopt;
  Levels out{column, {distinct.begin(), distinct.end()}};
  const double range = out.values.back() - out.values.front();
  for (std::size_t i = 0; i < out.values.size() / 2; ++i)
    if (std::abs(out.values[i] + out.values[out.values.size() - 1 - i] - 2 * out.centre()) > rounding * range)
      return std::nullopt;
  return out;
}

/// What the runs are in these columns.
struct Counts {
  int centre = 0, corners = 0, other = 0;
  std::vector<std::set<double>> axial;  ///< of each column: values at which it alone leaves the centre
  std::set<int> off_centre;             ///< of runs that are neither: how many columns leave the centre
};

Counts count_runs(const Eigen::MatrixXd& values, const std::vector<Levels>& levels) {
  Counts out;
  out.axial.resize(levels.size());
  for (Index i = 0; i < values.rows(); ++i) {
    std::size_t off = 0, last = 0, at_ends = 0;
    for (std::size_t j = 0; j < levels.size(); ++j) {
      const double v = values(i, levels[j].column);
      const CentredColumn c = levels[j].as_column();
      if (v == levels[j].centre()) continue;
      ++off;
      last = j;
      at_ends += v == c.low || v == c.high;
    }
    if (off == 0)
      ++out.centre;
    else if (off == 1)
      out.axial[last].insert(values(i, levels[last].column));
    else if (off == levels.size() && at_ends == off)
      ++out.corners;
    else if (at_ends == off)
      out.off_centre.insert(int(off));
    else
      ++out.other;
  }
  return out;
}

bool is_composite(const Eigen::MatrixXd& values, const std::vector<Levels>& levels) {
  if (levels.size() < 2) return false;
  const Counts c = count_runs(values, levels);
  for (std::size_t j = 0; j < levels.size(); ++j)
    if (c.axial[j] != std::set<double>{levels[j].values.front(), levels[j].values.back()}) return false;
  return c.corners >= 4 && c.other == 0 && c.off_centre.empty();
}

bool is_box_behnken(const Eigen::MatrixXd& values, const std::vector<Levels>& levels) {
  if (levels.size() < 3) return false;
  for (const Levels& l : levels)
    if (l.values.size() != 3) return false;
  const Counts c = count_runs(values, levels);
  for (const std::set<double>& axial : c.axial)
    if (!axial.empty()) return false;
  const bool blocks_of_two_or_three =
      c.off_centre.size() == 1 && (*c.off_centre.begin() == 2 || *c.off_centre.begin() == 3);
  return c.centre >= 1 && c.corners == 0 && c.other == 0 && blocks_of_two_or_three;
}

}  // namespace

std::vector<std::optional<CentredColumn>> recognise_centred_plan(const Eigen::MatrixXd& values) {
  std::vector<std::optional<CentredColumn>> out(std::size_t(values.cols()));
  std::vector<Levels> all, five;
  for (Index j = 0; j < values.cols(); ++j)
    if (auto levels = symmetrical_levels(values, j)) {
      if (levels->values.size() == 5) five.push_back(*levels);
      all.push_back(std::move(*levels));
    }
  // A column of three values may also be something that the plan was repeated for.
  const bool whole = is_composite(values, all) || is_box_behnken(values, all);
  if (!whole && !is_composite(values, five)) return out;
  for (const Levels& l : whole ? all : five) out[std::size_t(l.column)] = l.as_column();
  return out;
}

}  // namespace renth
