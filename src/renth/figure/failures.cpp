#include <fmt/format.h>

#include <algorithm>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/workflow/failing.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

struct Extent {
  double low, high;
};

Extent extent_of(const Parameter& p, const Eigen::VectorXd& values) {
  double low = p.is_choice() ? 0 : p.low,
         high = p.is_choice() ? static_cast<double>(p.choices.size()) - 1 : p.high;
  low = std::min(low, values.minCoeff()), high = std::max(high, values.maxCoeff());
  const double room = (p.is_choice() ? 0.3 : 0.04) * (high - low);
  return {low - room, high + room};
}

std::string choice_tics(const Parameter& p, const char* axis) {
  if (!p.is_choice()) return fmt::format("set {0}tics auto", axis);
  std::string tics;
  for (std::size_t c = 0; c < p.choices.size(); ++c)
    tics += fmt::format("{}{} {}", c ? ", " : "", quote(p.choices[c]), c);
  return fmt::format("set {}tics ({})", axis, tics);
}

/// Runs of one choice or level are drawn apart, the same way every time.
double spread(const Parameter& p, double value, Index i, const Extent& e) {
  if (p.is_between()) return value;
  const double share = static_cast<double>((i * 7919) % 1000) / 1000 - 0.5;
  return value + share * 0.10 * (e.high - e.low) / (p.is_choice() ? 1 : 3);
}

/// Shades the chance of success over the two, the others as they occur in the runs. \returns  the image.
std::string shade(Gnuplot& g, const Space& space, const Eigen::MatrixXd& points, Index x, Index y,
                  const Extent& ex, const Extent& ey, const std::function<Eigen::VectorXd(Points)>& success) {
  constexpr int columns = 64, rows = 48;
  const Index step = std::max<Index>(1, points.rows() / 40), others = (points.rows() + step - 1) / step;
  std::vector<float> values;
  for (int r = 0; r < rows; ++r) {
    Eigen::MatrixXd at(columns * others, space.size());
    for (int c = 0; c < columns; ++c)
      for (Index k = 0; k < others; ++k) {
        at.row(c * others + k) = points.row(k * step);
        at(c * others + k, x) = ex.low + (c + 0.5) * (ex.high - ex.low) / columns;
        at(c * others + k, y) = ey.low + (r + 0.5) * (ey.high - ey.low) / rows;
      }
    const Eigen::VectorXd p = success(at);
    for (int c = 0; c < columns; ++c)
      values.push_back(static_cast<float>(p.segment(c * others, others).mean()));
  }
  g.line(
      "set palette defined (0 '#f0b48a', 0.5 '#fae6d6', 1 '#ffffff')\nset cbrange [0:1]\nset colorbox user "
      "origin 0.925,0.11 size 0.015,0.75");
  g.line(
      "set cblabel 'chance that a run succeeds, the other settings as in the runs' offset 0.5,0 font "
      "',12'\nset format cb '%.1f'");
  return g.image(values, columns, rows, ex.low + 0.5 * (ex.high - ex.low) / columns,
                 (ex.high - ex.low) / columns, ey.low + 0.5 * (ey.high - ey.low) / rows,
                 (ey.high - ey.low) / rows);
}

/// The parts of an axis where a rule holds, as far as it speaks of its parameter.
std::vector<Extent> where_it_holds(const SeparatingRule& rule, const Space& space, Index parameter,
                                   Extent axis) {
  if (space[parameter].is_choice())  // nothing belongs to the room beyond the first and the last
    axis = {std::max(axis.low, -0.5), std::min(axis.high, double(space[parameter].choices.size()) - 0.5)};
  std::vector<Extent> out = {axis};
  for (const Cut& cut : rule.cuts) {
    if (cut.parameter != parameter) continue;
    const bool is = cut.side == Cut::Side::is, is_not = cut.side == Cut::Side::is_not;
    const double reach = is || is_not ? 0.5 : 0;  // a choice is drawn about its number
    std::vector<Extent> left;
    const auto keep = [&](double low, double high) {
      for (const Extent& e : out)
        if (std::max(e.low, low) < std::min(e.high, high))
          left.push_back({std::max(e.low, low), std::min(e.high, high)});
    };
    if (is) keep(cut.value - reach, cut.value + reach);
    if (is_not || cut.side == Cut::Side::below) keep(axis.low, cut.value - reach);
    if (is_not || cut.side == Cut::Side::above) keep(cut.value + reach, axis.high);
    out = left;
  }
  return out;
}

/// Shades where the rule says that runs fail, as far as it speaks of these two parameters.
/// \returns  whether it does.
bool draw_region(Gnuplot& g, const Space& space, const SeparatingRule& rule, Index x, Index y,
                 const Extent& ex, const Extent& ey) {
  if (std::none_of(rule.cuts.begin(), rule.cuts.end(),
                   [&](const Cut& cut) { return cut.parameter == x || cut.parameter == y; }))
    return false;
  int object = 50;
  for (const Extent& across : where_it_holds(rule, space, x, ex))
    for (const Extent& upwards : where_it_holds(rule, space, y, ey))
      g.line(fmt::format(
          "set object {} rectangle from {},{} to {},{} front fc rgb '{}' fs transparent solid 0.10 "
          "border lc rgb '{}' lw 1.2 dt 2",
          object++, across.low, upwards.low, across.high, upwards.high, colour::accent, colour::ink));
  return object > 50;
}

/// Failed and done runs over two parameters, where the rule says so shaded, the learned chance of success
/// shaded (averaged over the other settings as they occur in the runs) if both have values in between. \param
/// success  probabilities at points; may be empty.
Gnuplot draw_failures(const Study& study, const Eigen::MatrixXd& points, const std::vector<bool>& failed,
                      const SeparatingRule& rule, const std::string& rule_words, Index x, Index y,
                      const std::function<Eigen::VectorXd(Points)>& success) {
  const Space& space = study.space;
  const Extent ex = extent_of(space[x], points.col(x)), ey = extent_of(space[y], points.col(y));
  Gnuplot g;
  const auto bad = std::count(failed.begin(), failed.end(), true);
  const bool region = draw_region(g, space, rule, x, y, ex, ey);
  head(g, fmt::format("Where runs fail: {} of {}", bad, failed.size()),
       fmt::format("{}{}: {} of the {} failed runs lie there, and {} of the {} that are done",
                   region ? "shaded: " : "", rule_words, rule.failed_inside, rule.failed, rule.done_inside,
                   rule.done));
  std::string plot = "plot ";
  const bool shaded = success && space[x].is_between() && space[y].is_between();
  if (shaded) {
    plot += shade(g, space, points, x, y, ex, ey, success) + " with image, ";
  }
  std::vector<std::vector<double>> done_rows, failed_rows;
  for (Index i = 0; i < points.rows(); ++i) {
    const std::vector<double> row = {spread(space[x], points(i, x), i, ex),
                                     spread(space[y], points(i, y), i + 500, ey)};
    (failed[static_cast<std::size_t>(i)] ? failed_rows : done_rows).push_back(row);
  }
  g.block("done", done_rows);
  g.block("failed", failed_rows);
  g.line(fmt::format(
      "set lmargin at screen 0.09\nset rmargin at screen {}\nset tmargin at screen 0.86\nset bmargin at "
      "screen 0.11",
      shaded ? 0.91 : 0.975));
  g.line(fmt::format("set xrange [{}:{}]\nset yrange [{}:{}]", ex.low, ex.high, ey.low, ey.high));
  g.line(choice_tics(space[x], "x") + "\n" + choice_tics(space[y], "y"));
  g.line(fmt::format("set xlabel {}\nset ylabel {}", quote(with_unit(space[x].title(), space[x].unit)),
                     quote(with_unit(space[y].title(), space[y].unit))));
  key_above(g, {{"failed", 2, 1.3, colour::accent}, {"done", 6, 1.2, colour::main}});
  g.line("unset key");
  if (!done_rows.empty())
    plot += fmt::format("$done using 1:2 with points pt 6 ps 1.0 lc rgb '{}', ", colour::main);
  plot += fmt::format("$failed using 1:2 with points pt 2 ps 1.2 lw 2 lc rgb '{}'", colour::accent);
  g.line(plot);
  return g;
}

}  // namespace

Gnuplot figure_failures(Session& session, const DrawingOptions& options, Notes& notes) {
  const Space& space = session.study.space;
  const FailuresResult found = find_failures(session);
  notes = found.notes;
  if (!found.rule)
    throw Error(fmt::format("{} failed and {} done runs are too few to show where runs fail", found.failed,
                            found.done),
                "draw failures", "renth run, or look at renth runs --failures");
  if (space.size() < 2)
    throw Error("one parameter is not a pair", "draw failures", "look at renth runs --failures");
  Eigen::Index x = found.rule->pair.first, y = found.rule->pair.second;
  if (!options.x.empty()) x = parameter_named(session.study, options.x, "--x");
  if (!options.y.empty()) y = parameter_named(session.study, options.y, "--y");
  if (x == y)
    throw Error("both axes are " + space[x].name, "draw failures", "name two parameters with --x and --y");
  const EndedRuns ended = ended_runs(session.study, session.store.runs());
  const auto chance = learned_feasibility(session).chance;
  return draw_failures(
      session.study, ended.points, ended.failed, *found.rule, found.rule_text, x, y, [&](Points points) {
        return Eigen::VectorXd(predict_in_blocks(*chance, points, {}, parallel_for).mean.col(0));
      });
}

}  // namespace renth
