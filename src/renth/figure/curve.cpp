#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/undefined.hpp>
#include <renth/document/text_table.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/space/features.hpp>
#include <renth/workflow/judging.hpp>

namespace renth {
namespace {

constexpr const char* colour_of_run = "#dde8f2";  // lighter than that of a mean

struct CurveAt {
  Eigen::VectorXd mean, confidence_low, confidence_high, prediction_low, prediction_high;
  Eigen::VectorXd nearest;
  std::int64_t nearest_run = 0;
  double nearest_distance = 0;  ///< in the unit cube; 0: it is at the setting itself
  bool inside = true;
};

/// \returns  the worst R² or Q².
double add_curves(Gnuplot& g, const Axis& axis, const CurveAt& c, const std::vector<AlongQuality>& along) {
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
  return worst;
}

/// Above: a curve at one setting with its bands, and the run nearest to it. Below: R² and Q² at each axis
/// point. \param level  of the bands. \param nearest  that run's curve (NaN where missing), or empty.
Gnuplot draw_curve(const Study& study, const Response& response, const Eigen::VectorXd& at, const CurveAt& c,
                   const std::vector<AlongQuality>& along, double level) {
  Gnuplot g;
  const Axis& axis = *study.axis_of(response);
  const double worst = add_curves(g, axis, c, along);
  const double spare = 0.03 * (axis.points.back() - axis.points.front());
  g.line("set multiplot");
  head(g, with_unit(response.title(), response.unit) + " along " + axis.name,
       fmt::format("at {}{}; dark: {:.0f} % of the mean, light: of a run", held_values(study, at, {}),
                   c.inside ? "" : " (outside what the runs cover)", 100 * level));
  g.line(fmt::format(
      "set rmargin at screen 0.97\nset bmargin at screen 0.42\nset xrange [{}:{}]\nset xlabel ''\n"
      "set ylabel {}\nunset key",
      axis.points.front() - spare, axis.points.back() + spare,
      quote(with_unit(response.title(), response.unit))));
  std::vector<KeyItem> key = {
      {"a run", 5, 1.5, colour_of_run}, {"mean", 5, 1.5, colour::band}, {"predicted", 7, 1, colour::main}};
  const bool near = c.nearest.size() > 0;
  if (near)
    key.push_back({c.nearest_distance > 0
                       ? fmt::format("run {}, the nearest ({:.2g} away)", c.nearest_run, c.nearest_distance)
                       : fmt::format("run {}, computed here", c.nearest_run),
                   6, 1.2, colour::accent});
  key_above(g, key);
  g.line(fmt::format(
      "plot $band using 1:5:6 with filledcurves fc rgb '{}', $band using 1:3:4 with filledcurves fc rgb "
      "'{}', "
      "$band using 1:2 with linespoints pt 7 ps 1*ps lw 2 lc rgb '{}'{}",
      colour_of_run, colour::band, colour::main,
      near ? fmt::format(", $near using 1:2 with linespoints pt 6 ps 1.2*ps lw 1.2 dt 2 lc rgb '{}'",
                         colour::accent)
           : ""));
  forget_head(g);
  g.line(
      fmt::format("set tmargin at screen 0.34\nset bmargin at screen 0.09\nset xlabel {}\nset ylabel "
                  "'R², Q²'\nset yrange [{}:1.04]\nset key on at "
                  "screen 0.975,0.375 right horizontal maxrows 1",
                  quote(with_unit(axis.name, axis.unit)), std::max(-0.2, std::min(0.5, worst - 0.08))));
  g.line(fmt::format(
      "plot 0.95 lc rgb '{0}' dt 3 notitle, 0.8 lc rgb '{0}' dt 3 notitle, 0.5 lc rgb '{0}' dt 3 notitle, "
      "$quality using 1:2 with linespoints pt 6 ps 1*ps lc rgb '{0}' title 'R² of fitted runs', "
      "$quality using 1:3 with linespoints pt 7 ps 1.2*ps lw 2 lc rgb '{1}' title 'Q² of runs left "
      "out; lines: good, usable, weak'",
      colour::quiet, colour::main));
  g.line("unset multiplot");
  return g;
}

/// The run at the setting itself. \throws Error  there is none that gave the curve.
void lay_over(Session& session, const Response& response, const Eigen::VectorXd& at, CurveAt& curve) {
  const Study& study = session.study;
  const Settings settings = study.settings(at);
  for (const Run& run : session.store.runs()) {
    const auto output = run.responses.find(response.name);
    if (run.status != RunStatus::done || run.settings != settings || output == run.responses.end()) continue;
    // As the study's axis is today.
    const std::vector<double>& axis = study.axis_of(response)->points;
    curve.nearest = Eigen::VectorXd::Constant(Eigen::Index(axis.size()), undefined);
    for (std::size_t k = 0; k < axis.size(); ++k)
      for (std::size_t i = 0; i < output->second.axis.size() && i < output->second.values.size(); ++i)
        if (output->second.axis[i] == axis[k]) curve.nearest[Eigen::Index(k)] = output->second.values[i];
    curve.nearest_run = run.id;
    curve.nearest_distance = 0;
    if (run.use == "confirm") return;  // the one that was made for this, if there are several
  }
  if (curve.nearest.size() == 0)
    throw Error("no run has computed " + response.name + " at this setting", "--computed", "renth confirm");
}

}  // namespace

Gnuplot figure_curve(Session& session, const DrawingOptions& options, Notes& notes) {
  const Study& study = session.study;
  const Response response = one_fitted(session, options, true);
  const auto kept = need_surrogate(session, response, notes);
  const StoredSurrogate& stored = *kept;
  note_verdict(session, response, stored, notes);
  const Eigen::VectorXd at = setting_held(session, options);
  const Eigen::MatrixXd point = at.transpose();
  const Prediction p = stored.surrogate->predict(point, {.variance = true});
  const Intervals bounds = stored.surrogate->intervals(p, options.level);
  CurveAt curve{p.mean.row(0), bounds.confidence_low.row(0), bounds.confidence_high.row(0),
                bounds.prediction_low.row(0), bounds.prediction_high.row(0)};
  curve.inside = session.coverage().inside(at);
  // The runs that it was fitted to, whatever came later.
  const RunData data = fitted_data(session, response, stored);
  if (options.computed) {
    lay_over(session, response, at, curve);
  } else if (data.data.size() > 0) {
    Eigen::Index nearest = 0;
    const Eigen::MatrixXd runs = features(study.space, data.data.inputs);
    curve.nearest_distance = std::sqrt(
        (runs.rowwise() - features(study.space, point).row(0)).rowwise().squaredNorm().minCoeff(&nearest));
    curve.nearest = data.data.outputs.row(nearest);
    curve.nearest_run = data.ids[std::size_t(nearest)];
  }
  const ModelResult model = judge_surrogate(session, response, stored, data, options.level);
  return draw_curve(study, response, at, curve, model.quality.along, options.level);
}

}  // namespace renth
