#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/space/region.hpp>
#include <renth/workflow/kept_seek.hpp>

namespace renth {
namespace {

using Rows2 = std::vector<std::vector<double>>;

/// What is shown beside the front: what the model reaches, what the solver said.
struct Beside {
  Eigen::MatrixXd cloud;  ///< m × goals
  Rows2 runs, confirmed;  ///< values of the goals
};

Beside beside_front(Session& session, const Predictor& predictor, const std::vector<Goal>& goals, Seed seed) {
  constexpr Eigen::Index shown = 2000;
  Beside out;
  const Eigen::MatrixXd x = sample_region(session.study.space, shown, Values::settable, seed, "cloud");
  const Eigen::MatrixXd y = predictor.means(x);
  out.cloud.resize(x.rows(), Eigen::Index(goals.size()));
  for (std::size_t g = 0; g < goals.size(); ++g) out.cloud.col(Eigen::Index(g)) = y.col(goals[g].response);
  for (const Run& run : session.store.runs()) {
    if (run.status != RunStatus::done || run.set_aside) continue;
    std::vector<double> row;
    for (const Goal& g : goals)
      row.push_back(
          computed_value(session.study, run, session.study.responses[std::size_t(g.response)]).value_or(NAN));
    if (std::all_of(row.begin(), row.end(), [](double v) { return std::isfinite(v); }))
      (run.use == "confirm" ? out.confirmed : out.runs).push_back(std::move(row));
  }
  return out;
}

/// Two goals against each other; better is marked at the ends of the axes.
void panel(Gnuplot& g, const Study& study, const KeptFront& front, const Beside& beside, Eigen::Index a,
           Eigen::Index b, int number) {
  Rows2 cloud, points, knee, runs, confirmed;
  for (Eigen::Index i = 0; i < beside.cloud.rows(); ++i)
    cloud.push_back({beside.cloud(i, a), beside.cloud(i, b)});
  for (Eigen::Index i = 0; i < front.means.rows(); ++i) {
    std::vector<double> row = {front.means(i, a), front.means(i, b), front.sds(i, a), front.sds(i, b)};
    if (front.knee[std::size_t(i)]) knee.push_back(row);
    points.push_back(std::move(row));
  }
  for (const auto& r : beside.runs) runs.push_back({r[std::size_t(a)], r[std::size_t(b)]});
  for (const auto& r : beside.confirmed) confirmed.push_back({r[std::size_t(a)], r[std::size_t(b)]});
  const std::string n = std::to_string(number);
  g.block("cloud" + n, cloud).block("front" + n, points);
  std::string plot = fmt::format(
      "plot $cloud{0} using 1:2 with points pt 7 ps 0.35*ps lc rgb '#c9d3dd' notitle, $front{0} using "
      "1:2:3:4 with "
      "xyerrorbars pt 7 ps 0.8*ps lw 1 lc rgb '{1}' notitle",
      n, colour::main);
  if (front.goals.size() == 2)
    plot += fmt::format(", $front{} using 1:2 with lines lw 1.6 lc rgb '{}' notitle", n, colour::main);
  if (!runs.empty()) {
    g.block("runs" + n, runs);
    plot += fmt::format(", $runs{} using 1:2 with points pt 6 ps 1*ps lw 1 lc rgb '#000000' notitle", n);
  }
  if (!confirmed.empty()) {
    g.block("confirmed" + n, confirmed);
    plot += fmt::format(", $confirmed{} using 1:2 with points pt 5 ps 1.3*ps lc rgb '{}' notitle", n,
                        colour::of_kind[2]);
  }
  if (!knee.empty()) {
    g.block("knee" + n, knee);
    plot +=
        fmt::format(", $knee{} using 1:2 with points pt 13 ps 2.2*ps lc rgb '{}' notitle", n, colour::accent);
  }
  const auto label = [&](Eigen::Index goal) {
    const Goal& wanted = front.goals[std::size_t(goal)];
    const Response& r = study.responses[std::size_t(wanted.response)];
    const std::string better = wanted.aim == Goal::Aim::maximise ? " (more is better)"
                               : wanted.aim == Goal::Aim::minimise
                                   ? " (less is better)"
                                   : fmt::format(" ({:.4g} is wanted)", wanted.target);
    return quote(with_unit(r.title(), r.unit) + better);
  };
  g.line(fmt::format("set xlabel {}\nset ylabel {} font ',12'\nset autoscale\n{}", label(a), label(b), plot));
}

}  // namespace

Gnuplot figure_front(Session& session, const DrawingOptions& options, Notes& notes) {
  const Study& study = session.study;
  const KeptFront front = kept_front(session);
  if (!front.up_to_date)
    add_note(notes, "out_of_date",
             "runs, surrogates or the study have changed since the front was found: renth seek --front");
  const FittedStudy fitted(session, {});
  for (const Goal& g : front.goals) fitted.note_verdicts(g.response, notes);
  const Beside beside =
      beside_front(session, fitted.predictor(), front.goals, options.seed.value_or(study.seed));
  Gnuplot g;
  const auto goals = Eigen::Index(front.goals.size());
  const std::string title =
      fmt::format("Trade-off: {} settings of which none is better in every goal", front.points.rows());
  const std::string subtitle =
      "bars: one standard deviation; pale: what other settings of the region reach, by the surrogates";
  std::vector<KeyItem> key = {
      {"front", 7, 1, colour::main}, {"knee", 13, 1.6, colour::accent}, {"runs", 6, 1, "#000000"}};
  if (!beside.confirmed.empty()) key.push_back({"confirmed", 5, 1.2, colour::of_kind[2]});
  if (goals == 2) {
    head(g, title, subtitle);
    key_above(g, key);
    panel(g, study, front, beside, 0, 1, 0);
    return g;
  }
  begin_panels(g, int(goals * (goals - 1) / 2), title, subtitle);
  key_above(g, key);
  int number = 0;
  for (Eigen::Index a = 0; a < goals; ++a)
    for (Eigen::Index b = a + 1; b < goals; ++b) {
      panel(g, study, front, beside, a, b, number++);
      forget_head(g);
    }
  end_panels(g);
  return g;
}

}  // namespace renth
