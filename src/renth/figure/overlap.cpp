#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/text_table.hpp>
#include <renth/figure/field.hpp>
#include <renth/figure/label_places.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/predict/specification.hpp>

namespace renth {
namespace {

constexpr int grid_columns = 481, grid_rows = 361,
              coarser = 3,  // lines need fewer points than the filled picture
    finer = 3, fine_columns = finer * (grid_columns - 1) + 1, fine_rows = finer * (grid_rows - 1) + 1;
constexpr const char* line_colours[] = {"#1c4f82", "#a3401f", "#3f6b2f", "#6f3f8a", "#22303c", "#7a5a10"};

/// How well a place does: 0 some limit is broken, 1 all means are within, 2 so is all of every prediction
/// interval. \param value  mean, low and high of the k-th response there.
template <class Value>
double standing(const std::vector<const Response*>& responses, const Value& value) {
  double out = 2;
  for (std::size_t k = 0; k < responses.size(); ++k) {
    const Accept& a = responses[k]->accept;
    const double least = a.min.value_or(-INFINITY), most = a.max.value_or(INFINITY);
    const auto [mean, low, high] = value(k);
    if (!(mean >= least && mean <= most)) return 0;
    if (!(low >= least && high <= most)) out = 1;
  }
  return out;
}

struct MeanAndInterval {
  double mean, low, high;
};

/// The standing of places `finer` times as dense as the grid, in between by the four places round them; NaN
/// where a limit of the study forbids it.
std::vector<float> fine_standing(const Space& space, const std::vector<const Response*>& responses,
                                 const std::vector<Band>& bands, Eigen::Index x, Eigen::Index y,
                                 const Eigen::VectorXd& at) {
  std::vector<float> out;
  out.reserve(std::size_t(fine_columns) * std::size_t(fine_rows));
  Eigen::VectorXd point = at;
  for (int r = 0; r < fine_rows; ++r)
    for (int c = 0; c < fine_columns; ++c) {
      if (!space.limits().empty()) {
        point[x] = space[x].low + (space[x].high - space[x].low) * c / (fine_columns - 1);
        point[y] = space[y].low + (space[y].high - space[y].low) * r / (fine_rows - 1);
        if (!space.allows(point)) {
          out.push_back(NAN);
          continue;
        }
      }
      const int c0 = std::min(c / finer, grid_columns - 2), r0 = std::min(r / finer, grid_rows - 2);
      const double u = double(c) / finer - c0, v = double(r) / finer - r0;
      const Eigen::Index i = Eigen::Index(r0) * grid_columns + c0;
      const auto between = [&](const Eigen::VectorXd& of) {
        return (1 - v) * ((1 - u) * of[i] + u * of[i + 1]) +
               v * ((1 - u) * of[i + grid_columns] + u * of[i + grid_columns + 1]);
      };
      out.push_back(float(standing(responses, [&](std::size_t k) {
        return MeanAndInterval{between(bands[k].mean), between(bands[k].low), between(bands[k].high)};
      })));
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
std::vector<double> thin_levels(const Response& r, double least, double most) {
  const double step = round_step((most - least) / 6);
  std::vector<double> out;
  for (int i = 0; step > 0 && std::isfinite(step) && i < 20; ++i) {
    const double value = (std::ceil(least / step) + i) * step;
    const auto is = [&](const std::optional<double>& limit) {
      return limit && std::abs(value - *limit) < 1e-6 * step;
    };
    if (value < most && !is(r.accept.min) && !is(r.accept.max)) out.push_back(value);
  }
  return out;
}

/// Thin lines of the k-th response with their values, thick ones at its limits, and what the key says of
/// them. \param avoid   where no value may be written. \param labels  that are there already, and then these
/// too.
void add_lines(Gnuplot& g, const Response& r, const std::vector<float>& mean, std::size_t k,
               const Eigen::MatrixX2d& avoid, const Canvas& canvas, std::vector<LineLabel>& labels,
               std::string& plots, std::string& keys) {
  const char* ink = line_colours[k % std::size(line_colours)];
  const auto draw = [&](const std::string& block, const std::vector<double>& levels, double width) {
    g.line(
        fmt::format("set contour base\nset cntrparam levels discrete {}\nset cntrlabel onecolor\nunset "
                    "surface\nset table "
                    "${}\nsplot $grid{} using 1:2:3 with lines\nunset table\nunset contour\nset surface",
                    fmt::join(levels, ","), block, k));
    plots += fmt::format(", ${} using 1:2 with lines lw {} lc rgb '{}'", block, width, ink);
  };
  float least = INFINITY, most = -INFINITY;
  for (const float v : mean)
    if (std::isfinite(v)) least = std::min(least, v), most = std::max(most, v);
  if (const std::vector<double> thin = thin_levels(r, least, most); !thin.empty()) {
    draw(fmt::format("lines{}", k), thin, 0.6);
    const std::size_t before = labels.size();
    add_line_labels(mean, grid_columns, grid_rows, thin, avoid, canvas, labels);
    plots += plotted_labels(g, fmt::format("values{}", k),
                            {labels.begin() + std::ptrdiff_t(before), labels.end()}, ink);
  }
  std::vector<double> limits;
  std::string words;
  for (const auto& [value, word] :
       {std::pair{r.accept.min, "at least"}, std::pair{r.accept.max, "at most"}}) {
    if (!value) continue;
    limits.push_back(*value);
    words += fmt::format("{}{} {}", words.empty() ? "" : ", ", word, with_unit(pretty(*value, 5), "")) +
             (r.unit.empty() ? "" : " " + r.unit);
  }
  draw(fmt::format("limit{}", k), limits, 2.8);
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
  std::vector<Eigen::Index> allowed;
  std::vector<std::vector<std::vector<double>>> lines(responses.size());
  std::vector<std::vector<float>> means(responses.size());
  for (Eigen::Index i = 0; i < points.rows(); ++i) {
    const bool inside = space.allows(points.row(i).transpose());
    if (inside) allowed.push_back(i);
    for (std::size_t k = 0; k < responses.size(); ++k)
      means[k].push_back(inside ? float(bands[k].mean[i]) : NAN);
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
      g.image(fine_standing(space, responses, bands, x, y, at), fine_columns, fine_rows, px.low,
              (px.high - px.low) / (fine_columns - 1), py.low, (py.high - py.low) / (fine_rows - 1));
  std::vector<std::vector<double>> dots;
  Eigen::MatrixX2d avoid(runs.rows() + 1, 2);
  avoid.row(runs.rows()) << at[x], at[y];
  for (Eigen::Index i = 0; i < runs.rows(); ++i) {
    dots.push_back({runs(i, x), runs(i, y)});
    avoid.row(i) << runs(i, x), runs(i, y);
  }
  g.block("runs", dots).block("at", {{at[x], at[y]}});
  std::string plots, keys;
  std::vector<LineLabel> labels;
  for (std::size_t k = 0; k < responses.size(); ++k) {
    g.block(fmt::format("grid{}", k), lines[k]);
    add_lines(g, *responses[k], means[k], k, avoid, {px.low, px.high, py.low, py.high, 1130, 567}, labels,
              plots, keys);
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
  frame_near_best(session, out, x, y, setting_held(session, options));
  if (share == 0)
    add_note(notes, "nothing_feasible",
             "nowhere in this picture do all means lie within the accept limits: hold other values with "
             "--at, or --proposal");
  return out;
}

}  // namespace renth
