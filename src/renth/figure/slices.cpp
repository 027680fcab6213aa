#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/document/text_table.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/workflow/kept_seek.hpp>

namespace renth {
namespace {

/// The points of one slice; those that the limits forbid are left out.
Eigen::MatrixXd slice_points(const Space& space, Eigen::Index j, const Eigen::VectorXd& at,
                             std::vector<double>& values) {
  std::vector<Eigen::VectorXd> kept;
  for (const double v : shown_values(space[j], 121)) {
    Eigen::VectorXd point = at;
    point[j] = v;
    if (!space.allows(point)) continue;
    kept.push_back(point);
    values.push_back(v);
  }
  Eigen::MatrixXd out(Eigen::Index(kept.size()), space.size());
  for (std::size_t i = 0; i < kept.size(); ++i) out.row(Eigen::Index(i)) = kept[i];
  return out;
}

/// How far each parameter may move alone and be as good as the best, where the slices go through that.
using Shades = std::map<std::string, std::pair<double, double>>;

void slice_panel(Gnuplot& g, const Parameter& p, Eigen::Index j, double at, double centre,
                 const Shades& shades) {
  parameter_axis(g, p);
  g.line("unset object 77");
  if (const auto shade = shades.find(p.name); shade != shades.end() && p.is_between())
    g.line(
        fmt::format("set object 77 rectangle from first {},graph 0 to first {},graph 1 fc rgb '#dcecd8' fs "
                    "solid noborder "
                    "behind",
                    shade->second.first, shade->second.second));
  g.block(fmt::format("at{}", j), {{at, centre}});
  if (p.is_between()) {
    g.line(
        fmt::format("plot $slice{0} using 1:3:4 with filledcurves fc rgb '{1}', $slice{0} using 1:2 with "
                    "lines lw 2 lc rgb '{2}', "
                    "$out{0} using 1:2 with lines lw 2.6 dt 3 lc rgb 'white', $at{0} using 1:2 with points "
                    "pt 7 ps 1.5*ps lc rgb '{3}'",
                    j, colour::band, colour::main, colour::accent));
  } else {
    g.line(
        fmt::format("plot $slice{0} using 1:2:3:4 with yerrorbars pt 7 ps 1.2*ps lw 2 lc rgb '{1}', $at{0} "
                    "using 1:2 with points pt 7 ps 1.5*ps lc rgb '{2}'",
                    j, colour::main, colour::accent));
  }
  forget_head(g);
}

/// One panel a parameter: the mean through `at` with its band; steps and sizes are continuous, levels are
/// points with bars, choices categories. All panels share one scale.
/// \param inside  whether a point lies where the runs are; outside the line is dotted.
Gnuplot draw_slices(const Study& study, const Response& response, const Eigen::VectorXd& at,
                    const BandAt& band, const std::function<bool(const Eigen::VectorXd&)>& inside,
                    double level, const Shades& shades) {
  Gnuplot g;
  const Space& space = study.space;
  double low = INFINITY, high = -INFINITY;
  for (Eigen::Index j = 0; j < space.size(); ++j) {
    std::vector<double> values;
    const Eigen::MatrixXd points = slice_points(space, j, at, values);
    std::vector<std::vector<double>> rows, out;
    if (points.rows() > 0) {
      const Band b = band(points);
      for (Eigen::Index i = 0; i < points.rows(); ++i) {
        const bool here = inside(points.row(i).transpose());
        rows.push_back({values[i], b.mean[i], b.low[i], b.high[i]});
        out.push_back({values[i], here ? NAN : b.mean[i]});
        for (const double v : {b.mean[i], b.low[i], b.high[i]})
          if (std::isfinite(v)) low = std::min(low, v), high = std::max(high, v);
      }
    }
    g.block(fmt::format("slice{}", j), rows).block(fmt::format("out{}", j), out);
  }
  if (!std::isfinite(low))
    throw Error(
        "no setting along any parameter holds the limits: " + describe(space, at) + " is too far from them",
        "draw slices", "hold the parameters where the limits hold: --at …, or --proposal K");
  const Eigen::VectorXd centre = band(at.transpose()).mean;
  begin_panels(g, static_cast<int>(space.size()),
               fmt::format("{}: one parameter at a time", with_unit(response.title(), response.unit)),
               fmt::format("through {}; band: {:.0f} % of the mean; orange: this setting; dotted: outside "
                           "what the runs cover{}",
                           held_values(study, at, {}), 100 * level,
                           shades.empty() ? "" : "; green: as good as the best"));
  g.line(axis_range("y", low, high, 0.04) + fmt::format("\nset ylabel {} offset 1,0", quote(response.unit)));
  for (Eigen::Index j = 0; j < space.size(); ++j) {
    if (j > 0) only_first_labelled(g, int(j), int(space.size()), response.unit);
    slice_panel(g, space[j], j, at[j], centre[0], shades);
  }
  end_panels(g);
  return g;
}

/// One panel a parameter but `by`, with a line for each of a few values of that.
Gnuplot draw_slices_by(const Study& study, const Response& response, const Eigen::VectorXd& at,
                       const BandAt& band, Eigen::Index by) {
  Gnuplot g;
  const Space& space = study.space;
  const std::vector<double> values = few_values(space[by]);
  double low = INFINITY, high = -INFINITY;
  for (Eigen::Index j = 0; j < space.size(); ++j)
    for (std::size_t k = 0; k < values.size() && j != by; ++k) {
      Eigen::VectorXd there = at;
      there[by] = values[k];
      std::vector<double> places;
      const Eigen::MatrixXd points = slice_points(space, j, there, places);
      std::vector<std::vector<double>> rows;
      const Band b = points.rows() > 0 ? band(points) : Band{};
      for (Eigen::Index i = 0; i < points.rows(); ++i) {
        rows.push_back({places[std::size_t(i)], b.mean[i]});
        if (std::isfinite(b.mean[i])) low = std::min(low, b.mean[i]), high = std::max(high, b.mean[i]);
      }
      g.block(fmt::format("slice{}_{}", j, k), rows);
    }
  if (!std::isfinite(low))
    throw Error("no setting along any parameter holds the limits: " + describe(space, at) +
                    " is too far from them, whatever " + space[by].name + " is",
                "draw slices", "hold the parameters where the limits hold: --at …, or --proposal K");
  const int panels = static_cast<int>(space.size()) - 1;
  begin_panels(
      g, panels,
      fmt::format("{}: one parameter at a time, for several values of {}",
                  with_unit(response.title(), response.unit), space[by].title()),
      fmt::format("through {}; means; lines that are not parallel interact", held_values(study, at, {by})));
  std::vector<KeyItem> key;
  for (std::size_t k = 0; k < values.size(); ++k)
    key.push_back({space[by].is_choice()
                       ? space[by].choices[std::size_t(values[k])]
                       : pretty(values[k], 4) + (space[by].unit.empty() ? "" : " " + space[by].unit),
                   7, 1.2, colour::of_kind[k]});
  key_above(g, key);
  g.line(axis_range("y", low, high, 0.04) + fmt::format("\nset ylabel {} offset 1,0", quote(response.unit)));
  int panel = 0;
  for (Eigen::Index j = 0; j < space.size(); ++j) {
    if (j == by) continue;
    if (panel > 0) only_first_labelled(g, panel, panels, response.unit);
    ++panel;
    parameter_axis(g, space[j]);
    std::string plot;
    for (std::size_t k = 0; k < values.size(); ++k)
      plot += fmt::format("{}$slice{}_{} using 1:2 with {} lw 2.2 lc rgb '{}' notitle", k ? ", " : "plot ", j,
                          k, space[j].is_between() ? "lines" : "points pt 7 ps 1.2*ps", colour::of_kind[k]);
    g.line(plot);
    forget_head(g);
  }
  end_panels(g);
  return g;
}

}  // namespace

Gnuplot figure_slices(Session& session, const DrawingOptions& options, Notes& notes) {
  const Study& study = session.study;
  const OneResponse one(session, options, notes);
  const BandAt band = [&](Points points) {
    return band_of(one.predictor(), one.index, points, options.level, false);
  };
  const Eigen::VectorXd at = setting_held(session, options);
  if (!options.by.empty()) {
    if (study.space.size() < 2) throw Error("there is but one parameter", "--by", "draw slices without it");
    return draw_slices_by(study, study.responses[one.index], at, band,
                          parameter_named(study, options.by, "--by"));
  }
  Shades shades;
  if (const auto near = kept_near_best(session); near && near->best == study.settings(at))
    shades = near->alone;
  return draw_slices(
      study, study.responses[one.index], at, band,
      [&](const Eigen::VectorXd& p) { return one.predictor().inside(p); }, options.level, shades);
}

}  // namespace renth
