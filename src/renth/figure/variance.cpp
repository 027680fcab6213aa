#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/figure/field.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/workflow/assessing.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

Eigen::VectorXd variance_at(const Study& study, const Assessment& a, Points points) {
  return prediction_variances(study.space, a.terms, a.information.inverse, points);
}

/// One slice: the variance along parameter j through `at`; levels as points.
void slice(Gnuplot& g, const Study& study, const Assessment& a, const Eigen::VectorXd& at, Index j,
           double most, double x0, double x1, double y0, double y1, const std::string& block) {
  const Parameter& p = study.space[j];
  const std::vector<double> values = shown_values(p, 101);
  Eigen::MatrixXd points = at.transpose().replicate(Index(values.size()), 1);
  points.col(j) = Eigen::Map<const Eigen::VectorXd>(values.data(), points.rows());
  const Eigen::VectorXd v = variance_at(study, a, points);
  std::vector<std::vector<double>> rows;
  for (Index i = 0; i < points.rows(); ++i)
    rows.push_back({points(i, j), study.space.allows(points.row(i).transpose()) ? v[i] : NAN});
  g.block(block, rows).block(block + "at", {{at[j], variance_at(study, a, at.transpose())[0]}});
  g.line(
      fmt::format("set lmargin at screen {}\nset rmargin at screen {}\nset tmargin at screen {}\nset bmargin "
                  "at screen {}",
                  x0, x1, y1, y0));
  g.line(
      fmt::format("set xrange [{}:{}]\nset yrange [0:{}]\nset xlabel {} offset 0,0.4\nset ylabel ''\nset "
                  "xtics {},{}\nset ytics auto",
                  p.low - 0.02 * (p.high - p.low), p.high + 0.02 * (p.high - p.low), most,
                  quote(with_unit(p.title(), p.unit)), p.low, (p.high - p.low) / 2));
  g.line(
      fmt::format("plot ${0} using 1:2 with {1} lw 2 {2} lc rgb '{3}', ${0}at using 1:2 with points pt 7 ps "
                  "1.2*ps lc rgb '{4}'",
                  block, p.is_between() ? "lines" : "points pt 7", p.is_between() ? "" : "ps 1.1*ps",
                  colour::main, colour::accent));
}

/// Along every number through `at`, eight at most.
void slices(Gnuplot& g, const Study& study, const Assessment& a, const Eigen::VectorXd& at) {
  const Space& space = study.space;
  std::vector<Index> numbers;
  for (Index j = 0; j < space.size(); ++j)
    if (!space[j].is_choice() && numbers.size() < 8) numbers.push_back(j);
  double most = 0;
  for (const Index j : numbers)
    for (int i = 0; i <= 20; ++i) {
      Eigen::VectorXd p = at;
      p[j] = space[j].is_between() ? space[j].low + (space[j].high - space[j].low) * i / 20
                                   : space[j].settable(i % space[j].settable_count());
      if (space.allows(p)) most = std::max(most, variance_at(study, a, p.transpose())[0]);
    }
  const int wide = numbers.size() <= 2 ? 1 : 2, high_count = (int(numbers.size()) + wide - 1) / wide;
  for (std::size_t k = 0; k < numbers.size(); ++k) {
    const int c = int(k) % wide, r = int(k) / wide;
    const double width = 0.375 / wide, height = 0.775 / high_count, x0 = 0.635 + c * width,
                 y1 = 0.845 - r * height;
    slice(g, study, a, at, numbers[k], 1.08 * most, x0, x0 + width - 0.045,
          y1 - height + (high_count == 1 ? 0.04 : 0.105), y1, fmt::format("slice{}", k));
  }
}

/// xᵀ(XᵀX)⁻¹x per σ²: over two parameters as a contour, the others held at `at`, beside slices along every
/// number through `at`. Runs are marked.
Gnuplot draw_variance(const Study& study, const std::string& name, const Assessment& a, Index x, Index y,
                      const Eigen::VectorXd& at, const Eigen::MatrixXd& runs) {
  const Space& space = study.space;
  if (!a.information.estimable)
    throw Error("these runs cannot tell some terms apart: " + a.information.confounded, "draw variance",
                "use a smaller --model, or plan more runs");
  const Field field(
      space, x, y, at, 320, 320, [&](Points points) { return variance_at(study, a, points); },
      "draw variance", "name parameters with spans: --x A --y B");
  field.need_places("draw variance");
  Gnuplot g;
  const double step = round_step(std::max(field.high - field.low, 1e-9) / 6);
  const std::string picture = field.add_to(g, step, runs), labels = field.add_line_values(g, step, runs, 540);
  g.line("set multiplot");
  head(g, fmt::format("Where {} predicts well, and where not", name),
       fmt::format("variance of a prediction over that of one run (1 is as good as measuring once); {} "
                   "terms; held: {}; orange: "
                   "the setting held; circles: runs, wherever their others are",
                   a.terms.size(), held_values(study, at, {x, y})));
  g.line(
      "set lmargin at screen 0.075\nset rmargin at screen 0.50\nset tmargin at screen 0.845\nset bmargin at "
      "screen 0.11");
  g.line(field.axes(std::max(field.high, field.low + 1e-9)));
  g.line("set colorbox user origin 0.51,0.11 size 0.014,0.735 noborder");
  g.line(
      fmt::format("plot {} with image, $contours using 1:2 with lines lw 0.9 lc rgb 'white', $runs "
                  "using 1:2 with points pt 6 "
                  "ps 1.0*ps lw 1.2 lc rgb '#000000', $at using 1:2 with points pt 7 ps 1.4*ps lc rgb '{}'{}",
                  picture, colour::accent, labels));
  g.line("unset label 1001\nunset label 1002\nunset label 1003\nset grid\nunset colorbox");
  slices(g, study, a, at);
  g.line("unset multiplot");
  return g;
}

}  // namespace

Gnuplot figure_variance(Session& session, const DrawingOptions& o, Notes& notes) {
  const Study& study = session.study;
  const PlanSource source = find_plan(session, o.batch);
  const Assessment a = assess(study.space, source.points, source.blocks, terms_for(study, o, source));
  std::string x = o.x, y = o.y;
  for (const Parameter& p : study.space.parameters()) {
    if (!p.is_between() || p.name == x || p.name == y) continue;
    if (x.empty())
      x = p.name;
    else if (y.empty())
      y = p.name;
  }
  if (x.empty() || y.empty())
    throw Error("fewer than two parameters have values in between", "draw variance", "use draw region-share");
  if (o.x.empty() || o.y.empty())
    add_note(notes, "axes_chosen", fmt::format("over {} and {}; --x and --y name others", x, y));
  Eigen::VectorXd at = setting_held(session, o);
  if (!o.held.any())  // the middle says more about a plan than the baseline
    for (Index j = 0; j < study.space.size(); ++j)
      if (study.space[j].is_between()) at[j] = 0.5 * (study.space[j].low + study.space[j].high);
  return draw_variance(study, source.name, a, parameter_named(study, x, "--x"),
                       parameter_named(study, y, "--y"), at, source.points);
}

}  // namespace renth
