#include <fmt/format.h>

#include <renth/figure/field.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>

namespace renth {
namespace {

/// The response over two parameters, the others held: filled, with labelled lines. White where the limits
/// forbid it, dotted where the runs do not reach. Runs are marked.
/// \throws Error  a parameter that has no values in between (levels, choices).
Gnuplot draw_contour(Session& session, const Response& response, Eigen::Index x, Eigen::Index y,
                     const Eigen::VectorXd& at, const std::function<Eigen::VectorXd(Points)>& mean,
                     const std::function<bool(const Eigen::VectorXd&)>& inside, const Eigen::MatrixXd& runs) {
  const Study& study = session.study;
  const Space& space = study.space;
  constexpr int columns = 420, rows = 320, coarse_columns = 48, coarse_rows = 36;
  const Field field(space, x, y, at, columns, rows, mean, "draw contour",
                    "use draw slices, or hold it: --at {}=…");
  field.need_relief("draw contour");
  const Eigen::MatrixXd coarse = grid_points(space, x, y, at, coarse_columns, coarse_rows);
  std::vector<std::vector<double>> outside;
  for (Eigen::Index i = 0; i < coarse.rows(); ++i)
    if (space.allows(coarse.row(i).transpose()) && !inside(coarse.row(i).transpose()))
      outside.push_back({coarse(i, x), coarse(i, y)});

  Gnuplot g;
  g.block("outside", outside);
  const double step = round_step((field.high - field.low) / 9);
  const std::string picture = field.add_to(g, step, runs), labels = field.add_line_values(g, step, runs);
  const std::string frame = frame_near_best(session, g, x, y, at);
  head(
      g, with_unit(response.title(), response.unit),
      fmt::format("held: {}; orange: the setting held; circles: runs, wherever their other parameters were{}",
                  held_values(study, at, {x, y}),
                  std::string(outside.empty() ? "" : "; dots: outside what the runs cover") +
                      (field.forbidden ? "; white: forbidden by a limit" : "") + frame));
  g.line(field.axes(field.high));
  g.line(
      fmt::format("set cblabel {} offset 1,0\nset colorbox user origin 0.885,0.11 size 0.022,0.75 noborder",
                  quote(with_unit(response.title(), response.unit))));
  g.line(fmt::format(
      "plot {} with image, $contours using 1:2 with lines lw 0.9 lc rgb 'white', "
      "$outside using 1:2 with points pt 7 ps 0.3*ps lc rgb '#5a6570', "
      "$runs using 1:2 with points pt 6 ps 0.9*ps lw 1 lc rgb '#000000', $at using 1:2 with points pt 7 ps "
      "1.5*ps lc rgb '{}'{}",
      picture, colour::accent, labels));
  return g;
}

}  // namespace

Gnuplot figure_contour(Session& session, const DrawingOptions& options, Notes& notes) {
  const Study& study = session.study;
  const OneResponse one(session, options, notes);
  const auto [x, y] = two_axes(session, options, one.index, notes);
  const Eigen::MatrixXd runs = runs_of(session, one.index);
  const auto mean = [&](Points points) {
    return Eigen::VectorXd(one.predictor().mean_of(one.index, points));
  };
  return draw_contour(
      session, study.responses[one.index], x, y, setting_held(session, options), mean,
      [&](const Eigen::VectorXd& p) { return one.predictor().inside(p); }, runs);
}

}  // namespace renth
