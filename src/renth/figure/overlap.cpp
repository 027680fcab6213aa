#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/text_table.hpp>
#include <renth/figure/field.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/predict/specification.hpp>

namespace renth {
namespace {

constexpr int grid_columns = 481, grid_rows = 361,
              coarser = 3;  // lines need fewer points than the filled picture
constexpr const char* line_colours[] = {"#1c4f82", "#a3401f", "#3f6b2f", "#6f3f8a", "#22303c", "#7a5a10"};

/// How well a place does: 0 some limit is broken, 1 all means are within, 2 so is all of every prediction
/// interval.
double standing(const std::vector<const Response*>& responses, const std::vector<Band>& bands,
                Eigen::Index i) {
  double out = 2;
  for (std::size_t k = 0; k < responses.size(); ++k) {
    const Accept& a = responses[k]->accept;
    const double low = a.min.value_or(-INFINITY), high = a.max.value_or(INFINITY);
    if (!(bands[k].mean[i] >= low && bands[k].mean[i] <= high)) return 0;
    if (!(bands[k].low[i] >= low && bands[k].high[i] <= high)) out = 1;
  }
  return out;
}

void check_axes(const Space& space, Eigen::Index x, Eigen::Index y) {
  for (const Eigen::Index j : {x, y})
    if (!space[j].is_between())
      throw Error(space[j].name + " has nothing between its values", "draw overlap",
                  fmt::format("hold it (--at {}=…) and name two others with --x and --y", space[j].name));
  if (x == y)
    throw Error("both axes are " + space[x].name, "draw overlap", "name two parameters: --x A --y B");
}

/// Levels of a few thin lines to read values from, none where a limit lies.
std::string thin_levels(const Response& r, double least, double most) {
  const double step = round_step((most - least) / 6);
  std::string thin;
  for (int i = 0; step > 0 && std::isfinite(step) && i < 20; ++i) {
    const double value = (std::ceil(least / step) + i) * step;
    const auto is = [&](const std::optional<double>& limit) {
      return limit && std::abs(value - *limit) < 1e-6 * step;
    };
    if (value < most && !is(r.accept.min) && !is(r.accept.max))
      thin += fmt::format("{}{}", thin.empty() ? "discrete " : ",", value);
  }
  return thin;
}

/// Thin lines of the k-th response, thick ones at its limits, and what the key says of them.
void add_lines(Gnuplot& g, const Response& r, const Eigen::VectorXd& mean, std::size_t k, std::string& plots,
               std::string& keys) {
  const char* ink = line_colours[k % std::size(line_colours)];
  const auto draw = [&](const std::string& block, const std::string& levels, double width, bool labelled) {
    g.line(fmt::format(
        "set contour base\nset cntrparam levels {}\nset cntrlabel onecolor\nunset surface\nset table "
        "${}\nsplot $grid{} using 1:2:3 with lines\nunset table\nunset contour\nset surface",
        levels, block, k));
    plots += fmt::format(", ${} using 1:2 with lines lw {} lc rgb '{}'", block, width, ink);
    if (labelled)
      plots += fmt::format(
          ", ${} using 1:2:(sprintf('%g',$3)) every 220::40 with labels boxed font ',10' tc rgb '{}'", block,
          ink);
  };
  const std::string thin = thin_levels(r, mean.minCoeff(), mean.maxCoeff());
  if (!thin.empty()) draw(fmt::format("lines{}", k), thin, 0.6, true);
  std::string limits, words;
  for (const auto& [value, word] :
       {std::pair{r.accept.min, "at least"}, std::pair{r.accept.max, "at most"}}) {
    if (!value) continue;
    limits += fmt::format("{}{}", limits.empty() ? "discrete " : ",", *value);
    words += fmt::format("{}{} {}", words.empty() ? "" : ", ", word, with_unit(pretty(*value, 5), "")) +
             (r.unit.empty() ? "" : " " + r.unit);
  }
  draw(fmt::format("limit{}", k), limits, 2.8, false);
  keys += fmt::format(", NaN with lines lw 2.8 lc rgb '{}' title {}", ink, quote(r.title() + " " + words));
}

/// By how much each limit of each response holds by its mean (points × limits).
Eigen::MatrixXd margins(const std::vector<const Response*>& responses, const std::vector<Band>& bands) {
  std::vector<Eigen::VectorXd> columns_of;
  for (std::size_t k = 0; k < responses.size(); ++k) {
    const Accept& a = responses[k]->accept;
    if (a.min) columns_of.emplace_back(bands[k].mean.array() - *a.min);
    if (a.max) columns_of.emplace_back(*a.max - bands[k].mean.array());
  }
  Eigen::MatrixXd out(bands.front().mean.size(), Eigen::Index(columns_of.size()));
  for (std::size_t c = 0; c < columns_of.size(); ++c) out.col(Eigen::Index(c)) = columns_of[c];
  return out;
}

/// Where over two parameters, the others held, every response lies within its accept limits: by its mean, and
/// by its whole prediction interval. Thin lines of each response, thick ones at its limits. \param band mean
/// and prediction interval of the k-th response. \param share  receives the share of the allowed picture
/// where all means are acceptable. \throws Error  a parameter that has no values in between.
Gnuplot draw_overlap(const Study& study, const std::vector<const Response*>& responses, Eigen::Index x,
                     Eigen::Index y, const Eigen::VectorXd& at,
                     const std::function<Band(std::size_t, Points)>& band, const Eigen::MatrixXd& runs,
                     double level, double& share) {
  const Space& space = study.space;
  check_axes(space, x, y);
  const Parameter &px = space[x], &py = space[y];
  const Eigen::MatrixXd points = grid_points(space, x, y, at, grid_columns, grid_rows);
  std::vector<Band> bands;
  for (std::size_t k = 0; k < responses.size(); ++k) bands.push_back(band(k, points));

  Gnuplot g;
  std::vector<float> image;
  std::vector<Eigen::Index> allowed;
  std::vector<std::vector<std::vector<double>>> lines(responses.size());
  for (Eigen::Index i = 0; i < points.rows(); ++i) {
    const bool inside = space.allows(points.row(i).transpose());
    const double s = inside ? standing(responses, bands, i) : NAN;
    image.push_back(float(s));
    if (inside) allowed.push_back(i);
    const Eigen::Index column = i % grid_columns, row = i / grid_columns;
    if (column % coarser != 0 || row % coarser != 0) continue;
    for (std::size_t k = 0; k < responses.size(); ++k) {
      if (row > 0 && column == 0) lines[k].push_back({});
      lines[k].push_back({points(i, x), points(i, y), inside ? bands[k].mean[i] : NAN});
    }
  }
  if (allowed.empty())
    throw Error("the limits forbid the whole picture", "draw overlap",
                "hold the other parameters elsewhere with --at");
  share = shares_in_specification(margins(responses, bands)(allowed, Eigen::all)).all;
  const std::string picture =
      g.image(image, grid_columns, grid_rows, px.low, (px.high - px.low) / (grid_columns - 1), py.low,
              (py.high - py.low) / (grid_rows - 1));
  std::vector<std::vector<double>> dots;
  for (Eigen::Index i = 0; i < runs.rows(); ++i) dots.push_back({runs(i, x), runs(i, y)});
  g.block("runs", dots).block("at", {{at[x], at[y]}});
  std::string plots, keys;
  for (std::size_t k = 0; k < responses.size(); ++k) {
    const Response& r = *responses[k];
    g.block(fmt::format("grid{}", k), lines[k]);
    add_lines(g, r, bands[k].mean, k, plots, keys);
  }
  head(g, "Where every response is acceptable",
       fmt::format("green: all means are acceptable, {1:.0f} % of the picture; dark green: so is all of a "
                   "run's {2:.0f} % "
                   "interval; held: {0}; circles: runs; orange: the setting held",
                   held_values(study, at, {x, y}), 100 * share, 100 * level));
  g.line(fmt::format(
      "set xrange [{}:{}]\nset yrange [{}:{}]\nset xlabel {}\nset ylabel {}\nunset grid\nset cbrange "
      "[0:2]\nunset colorbox\nset palette defined (0 '#eef0f2', 1 '#cfe6c9', 2 '#8cc08a')\nset style textbox "
      "opaque fillcolor rgb '#ffffff' noborder margins 0.6,0.4\nset rmargin at screen 0.975\nset bmargin at "
      "screen 0.15\nset "
      "key at screen 0.53,0.035 center center horizontal maxrows 2",
      px.low, px.high, py.low, py.high, quote(with_unit(px.title(), px.unit)),
      quote(with_unit(py.title(), py.unit))));
  g.line(fmt::format(
      "plot {} with image{}, $runs using 1:2 with points pt 6 ps 0.9*ps lw 1 lc rgb '#000000', $at using "
      "1:2 with points pt 7 ps 1.5*ps lc rgb '{}'{}",
      picture, plots, colour::accent, keys));
  return g;
}

}  // namespace

Gnuplot figure_overlap(Session& session, const DrawingOptions& options, Notes& notes) {
  const Study& study = session.study;
  const FittedStudy fitted(session, options.responses);
  const Predictor& predictor = fitted.predictor();
  notes = fitted.notes();
  std::vector<const Response*> shown;
  for (const Response& r : study.responses) {
    const bool named = std::count(options.responses.begin(), options.responses.end(), r.name) > 0;
    const bool limited = r.accept.min || r.accept.max;
    if (named && (!limited || r.axis >= 0))
      throw Error(r.name + (r.axis >= 0 ? " is a curve" : " has no accept limits"), "draw overlap",
                  r.axis >= 0 ? "name a number derived from it"
                              : "give it accept = { min = …, max = … } in study.toml");
    if (!limited || r.axis >= 0 || (!options.responses.empty() && !named)) continue;
    const int index = study.response(r.name);
    if (!predictor.has(index))
      throw Error(r.name + " has accept limits and no surrogate", "draw overlap",
                  "renth fit --response " + r.name);
    fitted.note_verdicts(index, notes);
    shown.push_back(&r);
  }
  if (shown.empty())
    throw Error("no response has accept limits", "draw overlap",
                "give some accept = { min = …, max = … } in study.toml");
  const int first = study.response(shown.front()->name);
  const auto [x, y] = two_axes(session, options, first, notes);
  double share = 0;
  Gnuplot out = draw_overlap(
      study, shown, x, y, setting_held(session, options),
      [&](std::size_t k, Points points) {
        return band_of(predictor, study.response(shown[k]->name), points, options.level, true);
      },
      runs_of(session, first), options.level, share);
  if (share == 0)
    add_note(notes, "nothing_feasible",
             "nowhere in this picture do all means lie within the accept limits: hold other values with "
             "--at, or --proposal");
  return out;
}

}  // namespace renth
