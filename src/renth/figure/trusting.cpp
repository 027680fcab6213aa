#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <renth/figure/field.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/metamodel_figures.hpp>
#include <renth/study/tables.hpp>

namespace renth {

Gnuplot draw_learning(const Study&, const Response& response, const LearningCurve& curve) {
  Gnuplot g;
  std::vector<std::vector<double>> subsets, all, law, needed;
  double lowest = 1, most = 0;
  for (std::size_t i = 0; i < curve.points.size(); ++i) {
    const LearningPoint& p = curve.points[i];
    const bool last = i + 1 == curve.points.size();
    (last ? all : subsets).push_back({double(p.runs), p.q2, p.low, p.high});
    lowest = std::min(lowest, std::max(p.low, -0.2));
    most = std::max(most, double(p.runs));
  }
  const double first = curve.points.front().runs, now = most;
  if (curve.runs_needed) most = std::max(most, 1.05 * std::min<double>(*curve.runs_needed, 6 * now));
  if (std::isfinite(curve.rate) && curve.rate > 0) {
    for (int i = 0; i <= 120; ++i) {
      const double m = first * std::pow(1.15 * most / first, i / 120.0);
      law.push_back({m, curve.q2_at(m)});
    }
  }
  if (curve.runs_needed && *curve.runs_needed <= 1.2 * most)
    needed.push_back({double(*curve.runs_needed), curve.target});
  g.block("subsets", subsets).block("all", all).block("law", law).block("needed", needed);
  head(g, "How " + response.title() + " gets better with more runs", curve.sentence);
  g.line(
      fmt::format("set rmargin at screen 0.97\nset xrange [{}:{}]\nset yrange [{}:1.03]\nset xlabel 'runs "
                  "that are fitted'\nset ylabel 'Q²'\n"
                  "set key bottom right Left reverse",
                  0.85 * first, 1.15 * most, std::max(-0.25, lowest - 0.08)));
  std::string plot = fmt::format("plot {} lc rgb '{}' dt 2 title 'target {:.3g}'", curve.target,
                                 colour::quiet, curve.target);
  if (!law.empty())
    plot += fmt::format(", $law using 1:2 with lines lw 1.5 dt 3 lc rgb '{}' title 'power law, carried on'",
                        colour::main);
  plot += fmt::format(
      ", $subsets using 1:2:3:4 with yerrorbars pt 7 ps 1.2*ps lw 1.5 lc rgb '{}' title 'random subsets, the "
      "other "
      "runs predicted: median, middle 80 %'"
      ", $all using 1:2 with points pt 5 ps 1.6*ps lc rgb '{}' title 'all runs, cross-validated'",
      colour::main, colour::accent);
  if (!needed.empty())
    plot +=
        fmt::format(", $needed using 1:2 with points pt 6 ps 2*ps lw 2 lc rgb '{}' title 'likely reached'",
                    colour::accent);
  g.line(plot);
  return g;
}

Gnuplot draw_curve(const Study& study, const Response& response, const Eigen::VectorXd& at, const CurveAt& c,
                   const std::vector<AlongQuality>& along, double level) {
  Gnuplot g;
  const Axis& axis = *study.axis_of(response);
  std::vector<std::vector<double>> band, near, quality;
  double worst = 1;
  for (std::size_t k = 0; k < axis.points.size(); ++k) {
    const auto i = Eigen::Index(k);
    band.push_back({axis.points[k], c.mean[i], c.confidence_low[i], c.confidence_high[i], c.prediction_low[i],
                    c.prediction_high[i]});
    if (c.nearest.size() > 0) near.push_back({axis.points[k], c.nearest[i]});
    if (k < along.size()) {
      quality.push_back({axis.points[k], along[k].r2, along[k].q2});
      for (const double v : {along[k].r2, along[k].q2})
        if (std::isfinite(v)) worst = std::min(worst, v);
    }
  }
  g.block("band", band).block("near", near).block("quality", quality);
  const double spare = 0.03 * (axis.points.back() - axis.points.front());
  g.line("set multiplot");
  head(g, axis_label(response.title(), response.unit) + " along " + axis.name,
       fmt::format("at {}{}; dark: {:.0f} % of the mean, light: of a run", held_values(study, at, {}),
                   c.inside ? "" : " (outside what the runs cover)", 100 * level));
  g.line(fmt::format(
      "set rmargin at screen 0.97\nset bmargin at screen 0.42\nset xrange [{}:{}]\nset xlabel ''\n"
      "set ylabel {}\nset key top right",
      axis.points.front() - spare, axis.points.back() + spare,
      quote(axis_label(response.title(), response.unit))));
  g.line(fmt::format(
      "plot $band using 1:5:6 with filledcurves fc rgb '#dde8f2' title 'a run', $band using 1:3:4 with "
      "filledcurves fc rgb '{}' title 'mean', $band using 1:2 with linespoints pt 7 ps 1*ps lw 2 lc rgb '{}' "
      "title "
      "'predicted'{}",
      colour::band, colour::main,
      near.empty()
          ? ""
          : fmt::format(
                ", $near using 1:2 with linespoints pt 6 ps 1.2*ps lw 1.2 dt 2 lc rgb '{}' title {}",
                colour::accent,
                quote(fmt::format("run {}, the nearest ({:.2g} away)", c.nearest_run, c.nearest_distance)))));
  g.line("unset label 1001\nunset label 1002\nunset label 1003");
  g.line(
      fmt::format("set tmargin at screen 0.34\nset bmargin at screen 0.09\nset xlabel {}\nset ylabel "
                  "'R², Q²'\nset yrange [{}:1.04]\nset key bottom right",
                  quote(axis_label(axis.name, axis.unit)), std::max(-0.2, std::min(0.5, worst - 0.08))));
  g.line(fmt::format(
      "plot 0.95 lc rgb '{0}' dt 3 notitle, 0.8 lc rgb '{0}' dt 3 notitle, 0.5 lc rgb '{0}' dt 3 notitle, "
      "$quality using 1:2 with linespoints pt 6 ps 1*ps lc rgb '{0}' title 'R² of fitted runs', "
      "$quality using 1:3 with linespoints pt 7 ps 1.2*ps lw 2 lc rgb '{1}' title 'Q² of runs left "
      "out; lines: good, usable, weak'",
      colour::quiet, colour::main));
  g.line("unset multiplot");
  return g;
}

Gnuplot draw_error_map(const Study& study, const Response& response, Eigen::Index x, Eigen::Index y,
                       const Eigen::VectorXd& at, const std::function<Eigen::VectorXd(Points)>& deviation,
                       const Eigen::MatrixXd& runs, const std::vector<std::int64_t>& ids,
                       const Eigen::VectorXd& errors) {
  Gnuplot g;
  const Field field(study.space, x, y, at, 300, 240, deviation, "draw error-map",
                    "name two others with --x and --y");
  field.need_relief("draw error-map");
  double largest = 0;
  for (const double e : errors)
    if (std::isfinite(e)) largest = std::max(largest, std::abs(e));
  std::vector<std::size_t> order(ids.size());
  std::iota(order.begin(), order.end(), 0);
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
    return std::abs(errors[Eigen::Index(a)]) > std::abs(errors[Eigen::Index(b)]);
  });
  std::vector<std::vector<double>> high, low, worst;
  for (const std::size_t k : order) {
    const auto i = Eigen::Index(k);
    if (!std::isfinite(errors[i])) continue;
    const double size = 0.5 + 3.2 * std::sqrt(std::abs(errors[i]) / std::max(largest, 1e-300));
    (errors[i] > 0 ? high : low).push_back({runs(i, x), runs(i, y), size});
    if (worst.size() < 5) worst.push_back({runs(i, x), runs(i, y), double(ids[k])});
  }
  g.block("high", high).block("low", low).block("worst", worst);
  const std::string picture =
      field.add_to(g, round_step((field.high - field.low) / 6), Eigen::MatrixXd(0, study.space.size()));
  head(g, "Where " + response.title() + " is predicted badly",
       fmt::format(
           "circles: error of each run when it is left out, the largest {} {}, wherever its other parameters "
           "were; shade: standard deviation of a prediction with {}",
           pretty(largest, 3), response.unit, held_values(study, at, {x, y})));
  g.line(field.axes(field.high));
  g.line("set palette defined (0 '#ffffff', 0.5 '#dfe5ea', 1 '#9aa7b2')");
  g.line(
      fmt::format("set cblabel {} offset 1,0\nset colorbox user origin 0.885,0.11 size 0.022,0.75 noborder\n"
                  "set key at screen 0.86, screen 0.885 right maxrows 1 samplen 1",
                  quote(axis_label("standard deviation", response.unit))));
  const auto circles = [&](const char* block, const char* shade, const char* title) {
    return fmt::format(
        "${} using 1:2:($3*ps) with points pt 7 ps variable lc rgb '#40{}' notitle, ${} using "
        "1:2:($3*ps) with points pt 6 ps variable lw 1.4 lc rgb '#{}' title '{}'",
        block, shade, block, shade, title);
  };
  std::string plot = "plot " + picture + " with image notitle";
  if (!high.empty()) plot += ", " + circles("high", "d3742a", "predicted too high");
  if (!low.empty()) plot += ", " + circles("low", "1c4f82", "too low");
  if (!worst.empty())
    plot += fmt::format(
        ", $worst using 1:2:(sprintf('%d',int($3))) with labels offset 1.6,0.9 font ',12' tc rgb '{}' "
        "notitle",
        colour::ink);
  g.line(plot);
  return g;
}

}  // namespace renth
