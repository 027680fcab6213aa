#include <fmt/format.h>

#include <renth/figure/field.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>

namespace renth {
namespace {

/// The response as a surface over two parameters, its lines and the runs on the floor beneath.
/// \throws Error  as draw_contour().
Gnuplot draw_surface(const Study& study, const Response& response, Eigen::Index x, Eigen::Index y,
                     const Eigen::VectorXd& at, const std::function<Eigen::VectorXd(Points)>& mean,
                     const Eigen::MatrixXd& runs) {
  const Space& space = study.space;
  constexpr int columns = 61, rows = 61;
  const Field field(space, x, y, at, columns, rows, mean, "draw surface",
                    "use draw slices, or hold it: --at {}=…");
  field.need_relief("draw surface");
  Gnuplot g;
  const double step = round_step((field.high - field.low) / 9), depth = 0.7 * (field.high - field.low);
  field.add_to(g, step, runs);
  const std::string label = quote(with_unit(response.title(), response.unit));
  head(g, with_unit(response.title(), response.unit),
       fmt::format(
           "held: {}; below: lines of equal value and the runs, wherever their other parameters were{}",
           held_values(study, at, {x, y}), field.forbidden ? "; open: forbidden by a limit" : ""));
  g.line(field.axes(field.high));
  g.line(fmt::format(
      "set zrange [{0}:{1}]\nset ticslevel 0\nset xyplane at {0}\nset view 58,{2}\nset border 31 lc rgb "
      "'{3}' lw 0.6\nset "
      "grid x y z lt 1 lw 0.5 lc rgb '{4}'\nset zlabel {5} rotate by 90 offset 1.5,0 tc rgb '{3}'\nset "
      "xlabel offset "
      "0,-0.6\nset ylabel "
      "offset 0,-0.6\nunset lmargin\nunset rmargin\nunset tmargin\nunset "
      "bmargin\nset origin -0.02,-0.06\nset size 1.0,1.0\n"
      "set colorbox user origin 0.9,0.2 size 0.02,0.55 noborder\nset cbtics scale 0\nunset key\n"
      "set pm3d depthorder border lc rgb '#d0ffffff' lw 0.3 lighting primary 0.45 specular 0.05",
      field.low - depth, field.high, 38, colour::ink, colour::grid, label));
  g.line(
      fmt::format("splot $contours using 1:2:({0}):3 with lines lw 1.4 lc palette, $runs using 1:2:({0}) "
                  "with points pt 6 ps 0.8*ps lw "
                  "1 lc rgb '{1}', $grid using 1:2:3 with pm3d, $at using 1:2:({0}) with points pt 7 ps "
                  "1.3*ps lc rgb '{2}'",
                  field.low - depth, colour::ink, colour::accent));
  return g;
}

}  // namespace

Gnuplot figure_surface(Session& session, const DrawingOptions& options, Notes& notes) {
  const OneResponse one(session, options, notes);
  const auto [x, y] = two_axes(session, options, one.index, notes);
  return draw_surface(
      session.study, session.study.responses[one.index], x, y, setting_held(session, options),
      [&](Points points) { return Eigen::VectorXd(one.predictor().mean_of(one.index, points)); },
      runs_of(session, one.index));
}

}  // namespace renth
