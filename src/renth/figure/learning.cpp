#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/workflow/trusting.hpp>

namespace renth {
namespace {

/// Q² against the number of runs: random subsets with the middle 80 %, all runs, and the power law through
/// them carried on to the target.
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
      fmt::format("set rmargin at screen 0.97\nset bmargin at screen 0.22\nset xrange [{}:{}]\nset yrange "
                  "[{}:1.03]\nset xlabel 'runs "
                  "that are fitted'\nset ylabel 'Q²'\n"
                  "set key at screen 0.53,0.065 center center horizontal Left reverse maxcols 2 maxrows 3",
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

}  // namespace

Gnuplot figure_learning(Session& session, const DrawingOptions& options, Notes& notes) {
  if (options.responses.size() > 1) throw Error("this figure shows one response", "--response", "name one");
  TrustOptions trust;
  trust.responses = {chosen_responses(session.study, options.responses, false).front().name};
  trust.learning = TrustOptions::Learning::always;
  trust.target = options.target;
  const TrustResult result = trust_responses(session, trust);
  notes = result.notes;
  const LearningCurve& curve = *result.responses[0].learning;
  if (curve.points.empty())
    throw Error(curve.sentence, "draw learning", "add runs: renth plan extend, renth run, renth fit");
  return draw_learning(session.study, session.study.responses[session.study.response(trust.responses[0])],
                       curve);
}

}  // namespace renth
