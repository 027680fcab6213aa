#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>
#include <renth/document/text_table.hpp>
#include <renth/figure/field.hpp>
#include <renth/figure/label_places.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/workflow/judging.hpp>

namespace renth {
namespace {

/// Each run as a circle, the worst first. \returns  whether some are too high, some too low, and any at all.
std::array<bool, 3> add_circles(Gnuplot& g, const Eigen::MatrixXd& runs, Eigen::Index x, Eigen::Index y,
                                const std::vector<std::int64_t>& ids, const Eigen::VectorXd& errors,
                                const Canvas& canvas, double& largest) {
  for (const double e : errors)
    if (std::isfinite(e)) largest = std::max(largest, std::abs(e));
  std::vector<std::size_t> order(ids.size());
  std::iota(order.begin(), order.end(), 0);
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
    return std::abs(errors[Eigen::Index(a)]) > std::abs(errors[Eigen::Index(b)]);
  });
  std::vector<std::vector<double>> high, low, worst;
  std::vector<Eigen::Vector2d> taken;
  Eigen::MatrixX2d all(runs.rows(), 2);
  all << runs.col(x), runs.col(y);
  for (const std::size_t k : order) {
    const auto i = Eigen::Index(k);
    if (!std::isfinite(errors[i])) continue;
    const double size = 0.5 + 3.2 * std::sqrt(std::abs(errors[i]) / std::max(largest, 1e-300));
    (errors[i] > 0 ? high : low).push_back({runs(i, x), runs(i, y), size});
    if (worst.size() >= 5) continue;
    const Eigen::Vector2d at = label_place(all.row(i).transpose(), all, canvas, taken, 3 * size);
    worst.push_back({at.x(), at.y(), double(ids[k])});
  }
  g.block("high", high).block("low", low).block("worst", worst);
  return {!high.empty(), !low.empty(), !worst.empty()};
}

/// Over two parameters: the standard deviation of a prediction, filled, the others held; on it every run, as
/// large as its error when it is left out, orange where the prediction was too high. The worst are labelled.
/// \param errors  of each run, prediction less observation, NaN where there is none. \param ids  theirs.
Gnuplot draw_error_map(const Study& study, const Response& response, Eigen::Index x, Eigen::Index y,
                       const Eigen::VectorXd& at, const std::function<Eigen::VectorXd(Points)>& deviation,
                       const Eigen::MatrixXd& runs, const std::vector<std::int64_t>& ids,
                       const Eigen::VectorXd& errors) {
  Gnuplot g;
  const Field field(study.space, x, y, at, 300, 240, deviation, "draw error-map",
                    "name two others with --x and --y");
  field.need_relief("draw error-map");
  double largest = 0;
  const auto [any_high, any_low, any] = add_circles(
      g, runs, x, y, ids, errors,
      {study.space[x].low, study.space[x].high, study.space[y].low, study.space[y].high}, largest);
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
                  quote(with_unit("standard deviation", response.unit))));
  const auto circles = [&](const char* block, const char* shade, const char* title) {
    return fmt::format(
        "${} using 1:2:($3*ps) with points pt 7 ps variable lc rgb '#40{}' notitle, ${} using "
        "1:2:($3*ps) with points pt 6 ps variable lw 1.4 lc rgb '#{}' title '{}'",
        block, shade, block, shade, title);
  };
  std::string plot = "plot " + picture + " with image notitle";
  if (any_high) plot += ", " + circles("high", "d3742a", "predicted too high");
  if (any_low) plot += ", " + circles("low", "1c4f82", "too low");
  if (any)
    plot += fmt::format(
        ", $worst using 1:2:(sprintf('%d',int($3))) with labels center font ',12' tc rgb '{}' "
        "notitle",
        colour::ink);
  g.line(plot);
  return g;
}

}  // namespace

Gnuplot figure_error_map(Session& session, const DrawingOptions& options, Notes& notes) {
  const Response response = one_fitted(session, options, false);
  DrawingOptions named = options;
  named.responses = {response.name};
  const auto kept = need_surrogate(session, response, notes);
  const StoredSurrogate& stored = *kept;
  note_verdict(session, response, stored, notes);
  const auto [x, y] = two_axes(session, named, session.study.response(response.name), notes);
  const RunData data = collect_data(session, response, uses_fitted(stored), weights_fitted(stored));
  if (data.data.size() != stored.cv.predicted.rows())
    throw Error("runs were added or changed since " + response.name + " was fitted", "draw error-map",
                "renth fit --response " + response.name);
  const Eigen::VectorXd errors = stored.cv.predicted.col(0) - data.data.outputs.col(0);
  const auto deviation = [&](Points points) {
    const Prediction p = predict_in_blocks(*stored.surrogate, points, {.variance = true}, parallel_for);
    return Eigen::VectorXd(deviations((p.model_variance + p.noise_variance).col(0)));
  };
  const Eigen::VectorXd at = setting_held(session, options);
  if (!std::isfinite(deviation(at.transpose())[0]))
    throw Error("the surrogate of " + response.name + " has no error estimate to map", "draw error-map",
                "add runs, or drop terms");
  return draw_error_map(session.study, response, x, y, at, deviation, data.data.inputs, data.ids, errors);
}

}  // namespace renth
