#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/error.hpp>
#include <renth/figure/field.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/plan_figures.hpp>

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
                  quote(axis_label(p.title(), p.unit)), p.low, (p.high - p.low) / 2));
  g.line(
      fmt::format("plot ${0} using 1:2 with {1} lw 2 {2} lc rgb '{3}', ${0}at using 1:2 with points pt 7 ps "
                  "1.2*ps lc rgb '{4}'",
                  block, p.is_between() ? "lines" : "points pt 7", p.is_between() ? "" : "ps 1.1*ps",
                  colour::main, colour::accent));
}

}  // namespace

Gnuplot draw_variance(const Study& study, const std::string& name, const Assessment& a, Index x, Index y,
                      const Eigen::VectorXd& at, const Eigen::MatrixXd& runs) {
  const Space& space = study.space;
  if (!a.information.estimable)
    throw Error("these runs cannot tell some terms apart: " + a.information.confounded, "draw variance",
                "use a smaller --model, or plan more runs");
  const Field field(
      space, x, y, at, 320, 320, [&](Points points) { return variance_at(study, a, points); },
      "draw variance", "name parameters with spans: --x A --y B");
  if (!(field.high >= field.low))
    throw Error("the limits forbid the whole picture", "draw variance",
                "hold the others elsewhere with --at");
  Gnuplot g;
  const std::string picture = field.add_to(g, round_step(std::max(field.high - field.low, 1e-9) / 6), runs);
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
      fmt::format("plot {} with image, $contours using 1:2 with lines lw 0.9 lc rgb 'white', $contours using "
                  "1:2:(sprintf('%g',$3)) every 1000::60 with labels boxed font ',10' tc rgb '{}', $runs "
                  "using 1:2 with points pt 6 "
                  "ps 1.0*ps lw 1.2 lc rgb '#000000', $at using 1:2 with points pt 7 ps 1.4*ps lc rgb '{}'",
                  picture, colour::ink, colour::accent));
  g.line("unset label 1001\nunset label 1002\nunset label 1003\nset grid\nunset colorbox");
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
          y1 - height + 0.07 + (high_count == 1 ? -0.03 : 0), y1, fmt::format("slice{}", k));
  }
  g.line("unset multiplot");
  return g;
}

Gnuplot draw_region_share(const Study&, const std::vector<NamedAssessment>& plans) {
  Gnuplot g;
  std::string plot;
  const char* colours[] = {colour::main, colour::accent, "#2f8f6b", "#8a4fa0", "#b3893a", "#5a6570"};
  double most = 0;
  for (std::size_t i = 0; i < plans.size(); ++i) {
    const Assessment& a = plans[i].assessment;
    if (!a.information.estimable)
      throw Error(plans[i].name + " cannot tell some terms apart: " + a.information.confounded,
                  "draw region-share", "use a smaller --model, or leave that plan out");
    std::vector<std::vector<double>> rows;
    for (const auto& [share, variance] : a.variance.fraction) rows.push_back({100 * share, variance});
    most = std::max(most, a.variance.max);
    g.block(fmt::format("plan{}", i), rows);
    plot += fmt::format("{}$plan{} using 1:2 with lines lw 2.4 dt {} lc rgb '{}' title {}",
                        plot.empty() ? "plot " : ", ", i, i < 6 ? 1 : int(i) - 4, colours[i % 6],
                        quote(fmt::format("{} ({} runs): mean {:.3g}, worst {:.3g}", plans[i].name, a.runs,
                                          a.information.i_value, a.variance.max)));
  }
  head(g, "How much of the region is predicted how well",
       fmt::format("variance of a prediction over that of one run, for {} terms; low and flat is good; 1 is "
                   "as good as measuring there once",
                   plans[0].assessment.terms.size()));
  g.line("set rmargin at screen 0.96");
  g.line(
      fmt::format("set xrange [0:100]\nset yrange [0:{}]\nset xlabel 'share of the region [%]'\nset ylabel "
                  "'variance of the prediction / σ²'\nset key "
                  "top left reverse Left samplen 3 spacing 1.3",
                  1.06 * most));
  g.line(plot);
  return g;
}

}  // namespace renth
