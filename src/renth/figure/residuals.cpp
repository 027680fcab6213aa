#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/text_table.hpp>
#include <renth/figure/label_places.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/numeric/trend.hpp>
#include <renth/workflow/judging.hpp>

namespace renth {
namespace {

constexpr double small_width = 500, small_height = 240;  // of one of four panels, in pixels

using Eigen::Index;

const Diagnostics& need_residuals(const ModelResult& m) {
  if (!(m.polynomial->state().degrees_of_freedom > 1))
    throw Error(fmt::format("{} has {:g} residual degrees of freedom, so there are no residuals to look at",
                            m.response, m.polynomial->state().degrees_of_freedom),
                "draw residuals", "drop terms or add runs; draw effects shows which terms matter");
  if (m.quality.regression->diagnostics.exact)
    throw Error(fmt::format("the polynomial of {} meets every run, so its residuals are nothing but rounding",
                            m.response),
                "draw residuals", "there is nothing to look at; draw effects shows which terms matter");
  return m.quality.regression->diagnostics;
}

/// Runs worth a label.
std::vector<bool> labelled(const Diagnostics& d) {
  std::vector<bool> out(std::size_t(d.residual.size()), false);
  for (const Standout& s : d.standouts) out[std::size_t(s.row)] = true;
  for (Index i = 0; i < d.external.size(); ++i)
    out[std::size_t(i)] = out[std::size_t(i)] || std::abs(d.external[i]) > 3;
  return out;
}

/// What a panel shows, in pixels about; see label_place().
Canvas panel_of(const Eigen::VectorXd& x, double y_low, double y_high, double width, double height) {
  double low = INFINITY, high = -INFINITY;
  for (const double v : x)
    if (std::isfinite(v)) low = std::min(low, v), high = std::max(high, v);
  const double spare = high > low ? 0.06 * (high - low) : 1;
  return {low - spare, high + spare, y_low, y_high, width, height};
}

/// Puts points and the numbers of those that stand out into the figure; returns what plots them.
std::string scatter(Gnuplot& g, const std::string& block, const ModelResult& m, const Eigen::VectorXd& x,
                    const Eigen::VectorXd& y, const Canvas& canvas) {
  std::vector<std::vector<double>> dots, labels;
  std::vector<Index> numbered;
  const std::vector<bool> label = labelled(m.quality.regression->diagnostics);
  for (Index i = 0; i < x.size(); ++i) {
    if (!std::isfinite(y[i])) continue;
    dots.push_back({x[i], y[i]});
    if (label[std::size_t(i)]) numbered.push_back(i);
  }
  Eigen::MatrixX2d all(Eigen::Index(dots.size()), 2);
  for (std::size_t k = 0; k < dots.size(); ++k) all.row(Eigen::Index(k)) << dots[k][0], dots[k][1];
  std::vector<Eigen::Vector2d> taken;
  for (const Index i : numbered) {
    const Eigen::Vector2d at = label_place({x[i], y[i]}, all, canvas, taken);
    labels.push_back({at.x(), at.y(), double(m.ids[std::size_t(i)])});
  }
  g.block(block, dots);
  std::string plot = fmt::format("${} using 1:2 with points pt 7 ps 0.9*ps lc rgb '{}'", block, colour::main);
  if (labels.empty()) return plot;  // gnuplot 5.4 crashes on labels without a single one
  g.block(block + "_labels", labels);
  return plot +
         fmt::format(", ${}_labels using 1:2:(sprintf('%.0f',$3)) with labels center font ',11' tc rgb '{}'",
                     block, colour::accent);
}

/// The trend of y on x over the range of x; empty for few values.
std::vector<std::vector<double>> trend_line(const Eigen::VectorXd& x, const Eigen::VectorXd& y) {
  std::vector<std::vector<double>> out;
  if (x.size() < 6 || !(x.maxCoeff() > x.minCoeff())) return out;
  std::vector<Index> finite;
  for (Index i = 0; i < y.size(); ++i)
    if (std::isfinite(y[i])) finite.push_back(i);
  const Eigen::VectorXd at = Eigen::VectorXd::LinSpaced(61, x.minCoeff(), x.maxCoeff());
  const Eigen::VectorXd line = trend(x(finite), y(finite), at);
  for (Index i = 0; i < at.size(); ++i) out.push_back({at[i], line[i]});
  return out;
}

/// Sorted residuals against normal quantiles, with the band of each order statistic.
std::string normal_panel(Gnuplot& g, const ModelResult& m, const Eigen::VectorXd& r, double most) {
  std::vector<Index> order;
  for (Index i = 0; i < r.size(); ++i)
    if (std::isfinite(r[i])) order.push_back(i);
  std::stable_sort(order.begin(), order.end(), [&](Index a, Index b) { return r[a] < r[b]; });
  const double n = double(order.size());
  Eigen::VectorXd quantile = Eigen::VectorXd::Constant(r.size(), NAN);
  std::vector<std::vector<double>> band;
  for (std::size_t k = 0; k < order.size(); ++k) {
    const double i = double(k) + 1;
    quantile[order[k]] = normal_quantile((i - 0.375) / (n + 0.25));
    band.push_back({quantile[order[k]], normal_quantile(beta_quantile(0.025, i, n + 1 - i)),
                    normal_quantile(beta_quantile(0.975, i, n + 1 - i))});
  }
  g.block("band", band);
  return scatter(g, "normal", m, quantile, r, panel_of(quantile, -most, most, small_width, small_height));
}

/// Cook's distance of each run as a stem, and the line beyond which the coefficients hang on a run.
void cook_panel(Gnuplot& g, const ModelResult& m, const Eigen::VectorXd& run) {
  const Diagnostics& d = m.quality.regression->diagnostics;
  double most = d.cook_bound;
  for (const double v : d.cook)
    if (std::isfinite(v)) most = std::max(most, v);
  const std::string tops =
      scatter(g, "cook", m, run, d.cook, panel_of(run, 0, 1.15 * most, small_width, small_height));
  g.line(
      fmt::format("set xlabel 'run; dashed: median of F({}, {:g})' offset 0,0.4\nset yrange [0:{}]\n"
                  "set ylabel 'Cook’s distance' offset 0.3,0",
                  m.quality.regression->terms, m.polynomial->state().degrees_of_freedom, 1.15 * most));
  g.line(fmt::format("plot {} dt 2 lw 1 lc rgb '{}', $cook using 1:2 with impulses lw 1.2 lc rgb '{}', {}",
                     d.cook_bound, colour::accent, colour::quiet, tops));
}

std::string p_of(const TestResult& t) {
  return std::isnan(t.p) ? "–" : t.p < 1e-4 ? "< 0.0001" : fmt::format("{:.3f}", t.p);
}

/// Four panels: studentised residuals against fitted values with a trend, against normal quantiles with their
/// 95 % band, in run order, and Cook's distance of each run. Runs that stand out are labelled. \throws Error
/// no residual degrees of freedom.
Gnuplot draw_residuals(const Study& study, const ModelResult& m) {
  const Diagnostics& d = need_residuals(m);
  const Response& response = study.responses[study.response(m.response)];
  const Index n = d.residual.size();
  const Eigen::VectorXd& r = d.external;
  Gnuplot g;
  begin_panels(
      g, 4, fmt::format("{}: residuals of the polynomial", with_unit(response.title(), response.unit)),
      fmt::format("studentised: each run's distance from a fit without it, in standard errors; numbers: runs "
                  "that stand out; p of {} {}, Breusch–Pagan {}, Durbin–Watson {}",
                  d.normality_test, p_of(d.normality), p_of(d.variance), p_of(d.order)));
  double most = 2.5;
  for (const double v : r)
    if (std::isfinite(v)) most = std::max(most, 1.25 * std::abs(v));
  Eigen::VectorXd order(n);
  for (Index i = 0; i < n; ++i) order[i] = double(m.ids[std::size_t(i)]);
  const auto panel = [&](const Eigen::VectorXd& x) {
    return panel_of(x, -most, most, small_width, small_height);
  };
  const std::string by_fitted = scatter(g, "fitted", m, d.fitted, r, panel(d.fitted)),
                    by_order = scatter(g, "order", m, order, r, panel(order)),
                    by_quantile = normal_panel(g, m, r, most);
  g.block("trend", trend_line(d.fitted, r));
  const std::string rule = fmt::format("0 lc rgb '{}' lw 0.9", colour::ink);
  const std::string off = "offset 0,0.4";
  g.line(fmt::format("set yrange [{}:{}]\nset ylabel 'studentised residual' offset 0.3,0\nset xtics autofreq",
                     -most, most));
  g.line(
      fmt::format("set xlabel {} {}",
                  quote(with_unit(m.polynomial->state().transform.none() ? "fitted" : "fitted, transformed",
                                  response.unit)),
                  off));
  g.line(fmt::format("plot {}, $trend using 1:2 with lines lw 1.6 lc rgb '{}', {}", rule, colour::accent,
                     by_fitted));
  forget_head(g);
  g.line(fmt::format("set xlabel 'normal quantile' {}", off));
  g.line(fmt::format("plot $band using 1:2:3 with filledcurves fc rgb '{}', x lc rgb '{}' lw 0.9, {}",
                     colour::band, colour::ink, by_quantile));
  g.line(fmt::format("set xlabel 'run' {}", off));
  g.line(fmt::format("plot {}, $order using 1:2 with lines lw 0.8 lc rgb '{}', {}", rule, colour::quiet,
                     by_order));
  cook_panel(g, m, order);
  end_panels(g);
  return g;
}

/// One panel: studentised residuals against a parameter, with a trend for numbers.
Gnuplot draw_residuals_against(const Study& study, const ModelResult& m, Index parameter) {
  const Diagnostics& d = need_residuals(m);
  const Response& response = study.responses[study.response(m.response)];
  const Parameter& p = study.space[parameter];
  Gnuplot g;
  const Eigen::VectorXd x = m.settings.col(parameter);
  double low = INFINITY, high = -INFINITY;
  for (const double v : d.external)
    if (std::isfinite(v)) low = std::min(low, v), high = std::max(high, v);
  const double room = 0.1 * (high - low);
  const std::string dots =
      scatter(g, "runs", m, x, d.external, panel_of(x, low - room, high + room, 1130, 600));
  g.line(axis_range("y", low, high, 0.1));
  if (p.is_between()) g.block("trend", trend_line(x, d.external));
  head(g, fmt::format("{}: residuals against {}", with_unit(response.title(), response.unit), p.title()),
       p.is_between()
           ? "studentised; orange: their trend, flat if the model bends enough along this parameter"
           : "studentised; a value whose runs lie off zero together is not described well");
  parameter_axis(g, p);
  // Axial runs may lie outside the span.
  const double spare = 0.04 * (p.high - p.low);
  if (p.is_between())
    g.line(fmt::format("set xrange [{}:{}]", std::min(p.low, x.minCoeff()) - spare,
                       std::max(p.high, x.maxCoeff()) + spare));
  g.line("set ylabel 'studentised residual'\nset rmargin at screen 0.975");
  g.line(fmt::format(
      "plot 0 lc rgb '{}' lw 0.9, {}{}", colour::ink,
      p.is_between() ? fmt::format("$trend using 1:2 with lines lw 1.8 lc rgb '{}', ", colour::accent) : "",
      dots));
  return g;
}

}  // namespace

Gnuplot figure_residuals(Session& session, const DrawingOptions& options, Notes& notes) {
  const ModelResult m = one_polynomial(session, options, notes);
  if (options.against.empty()) return draw_residuals(session.study, m);
  const Eigen::Index j = parameter_named(session.study, options.against.front(), "--against");
  return draw_residuals_against(session.study, m, j);
}

}  // namespace renth
