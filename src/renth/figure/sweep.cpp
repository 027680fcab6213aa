#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/workflow/planning.hpp>

namespace renth {
namespace {

/// D-efficiency and the largest variance inflation against the number of runs, knee and suggestion marked.
Gnuplot draw_sweep(const Study&, const std::string& model, const Sweep& sweep) {
  Gnuplot g;
  std::vector<std::vector<double>> rows, knee, suggested;
  double low = INFINITY, high = -INFINITY, worst = 1;
  for (const SweepLine& l : sweep.lines) {
    rows.push_back({double(l.runs), l.d_efficiency, l.max_vif});
    low = std::min(low, l.d_efficiency), high = std::max(high, l.d_efficiency);
    worst = std::max(worst, l.max_vif);
    if (l.runs == sweep.knee) knee.push_back({double(l.runs), l.d_efficiency});
    if (l.runs == sweep.suggested) suggested.push_back({double(l.runs), l.d_efficiency, l.max_vif});
  }
  g.block("sweep", rows).block("knee", knee).block("suggested", suggested);
  g.line("set multiplot");
  head(g, "How many runs are worth paying for", fmt::format("optimal plans for {}; {}", model, sweep.why));
  const double spare = std::max(1e-4, 0.12 * (high - low)), from = double(sweep.lines.front().runs) - 0.5,
               to = double(sweep.lines.back().runs) + 0.5;
  const std::string mark =
      fmt::format("set arrow 1 from {0}, graph 0 to {0}, graph 1 nohead dt 2 lw 1.4 lc rgb '{1}'",
                  sweep.suggested, colour::accent);
  g.line(
      fmt::format("set lmargin at screen 0.085\nset rmargin at screen 0.965\nset tmargin at screen 0.85\nset "
                  "bmargin at screen 0.43\nset xrange [{}:{}]\nset yrange "
                  "[{}:{}]\nset format x ''\nset ylabel 'D-efficiency of each run'\n{}",
                  from, to, low - spare, high + 1.8 * spare, mark));
  g.line(fmt::format("set label 10 {} at {},{} left offset 1,0.2 tc rgb '{}' front",
                     quote(fmt::format("suggested: {} runs", sweep.suggested)), sweep.suggested, high + spare,
                     colour::accent));
  g.line(
      fmt::format("plot $sweep using 1:2 with linespoints pt 7 ps 0.9*ps lw 2 lc rgb '{0}', $knee using 1:2 "
                  "with points pt 6 ps 2.2*ps lw 2 lc rgb '{1}', "
                  "$knee using 1:2:('knee') with labels offset 3,-1.4 tc rgb '{1}', $suggested using 1:2 "
                  "with points pt 7 ps 1.5*ps lc rgb '{1}'",
                  colour::main, colour::accent));
  g.line("unset label 1001\nunset label 1002\nunset label 1003\nunset label 10");
  g.line(
      fmt::format("set tmargin at screen 0.40\nset bmargin at screen 0.10\nset format x '%g'\nset xlabel "
                  "'runs'\nset yrange [{}:{}]\nset ylabel 'largest variance inflation'",
                  worst < 3 ? 0.9 : 0.0, 1.1 * worst));
  g.line(
      fmt::format("plot $sweep using 1:3 with linespoints pt 7 ps 0.9*ps lw 2 lc rgb '{}', $suggested using "
                  "1:3 with points pt 7 ps 1.5*ps lc rgb '{}'",
                  colour::main, colour::accent));
  g.line("unset multiplot");
  return g;
}

}  // namespace

Gnuplot figure_sweep(Session& session, const DrawingOptions& o, Notes& notes) {
  if (o.runs_to <= o.runs_from)
    throw Error("the range of run counts is not said", "draw sweep", "give it: --runs 16..40 --model TERMS");
  PlanningOptions p;
  p.method = "optimal";
  p.request.runs = o.runs_from;
  p.request.runs_to = o.runs_to;
  p.request.model = o.model;
  p.request.criterion = o.criterion;
  p.seed = o.seed;
  const PlanResult result = plan_batch(session, p);
  for (const Note& n : result.notes) notes.push_back(n);
  return draw_sweep(session.study, result.model, *result.sweep);
}

}  // namespace renth
