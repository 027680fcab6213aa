#include <fmt/format.h>

#include <renth/base/error.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/information.hpp>
#include <renth/plan/sweep.hpp>
#include <renth/terms/moments.hpp>

namespace renth {

namespace {

/// The knee, and the number of runs to take: there, or where `enough` are left for an error estimate.
void suggest(int from, int to, int enough, Sweep& out) {
  // The knee of a rising curve: farthest above the straight line between its ends.
  const SweepLine &first = out.lines.front(), &last = out.lines.back();
  double most = -1;
  double best = first.d_efficiency;
  for (const SweepLine& l : out.lines) {
    best = std::max(best, l.d_efficiency);
    const double share = to > from ? double(l.runs - from) / (to - from) : 0;
    const double above =
        l.d_efficiency - (first.d_efficiency + share * (last.d_efficiency - first.d_efficiency));
    if (above > most + 1e-9) {
      most = above;
      out.knee = l.runs;
    }
  }
  out.suggested = out.knee;
  for (const SweepLine& l : out.lines)
    if (out.suggested < enough && l.runs >= enough) out.suggested = l.runs;
  const SweepLine& at = out.lines[std::size_t(out.suggested - from)];
  out.why =
      fmt::format("{} runs: the efficiency of each run is {:.3f} there, of {:.3f} at most in this range",
                  out.suggested, at.d_efficiency, best);
  if (out.suggested > out.knee)
    out.why += fmt::format(
        "; the curve bends at {}, but four residual degrees of freedom for an error estimate take {}",
        out.knee, out.suggested);
  else
    out.why += ", and beyond it the curve flattens";
  if (out.suggested < enough)
    out.why += fmt::format("; no size in this range leaves four residual degrees of freedom ({} runs would)",
                           enough);
}

}  // namespace

Sweep sweep_runs(const Space& space, OptimalOptions options, int from, int to, Seed seed) {
  if (from < 1 || to < from)
    throw Error(fmt::format("{}..{} is not a range of runs", from, to), "plan optimal `runs`",
                "write the smaller first: 16..40");
  if (to - from >= 500)
    throw Error(fmt::format("{}..{} are {} plans", from, to, to - from + 1), "plan optimal `runs`",
                "sweep at most 500");
  const auto existing = int(options.existing.rows()), p = int(options.terms.size());
  if (from + existing < p) {
    options.runs = from;
    optimal(space, options, seed);  // says what is wrong
  }
  Sweep out;
  out.lines.resize(std::size_t(to - from + 1));
  const Eigen::MatrixXd moments = region_moments(space, options.terms);
  parallel_for(to - from + 1, [&](std::int64_t k) {
    OptimalOptions mine = options;
    mine.runs = from + int(k);
    const Plan plan = optimal(space, mine, seed);
    Eigen::MatrixXd points(existing + plan.size(), space.size());
    points.topRows(existing) =
        options.existing.rows() > 0 ? options.existing : Eigen::MatrixXd(0, space.size());
    points.bottomRows(plan.size()) = plan.points;
    const bool plots = plan.options.contains("whole-plots") && existing == 0;
    const Information i =
        information(space, options.terms, points, moments,
                    plots ? PlotErrors{WholePlots(plan.blocks), options.variance_ratio} : PlotErrors{});
    const double most = largest_variance(space, options.terms, i.inverse);
    out.lines[std::size_t(k)] = {
        mine.runs, i.log_det, i.d_efficiency, i.a_efficiency, p / (double(points.rows()) * most),
        i.i_value, i.max_vif};
  });
  suggest(from, to, p + 4 - existing, out);
  return out;
}

}  // namespace renth
