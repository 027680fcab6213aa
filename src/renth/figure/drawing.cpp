#include <fmt/format.h>

#include <renth/base/names.hpp>
#include <renth/base/text.hpp>
#include <renth/figure/figures.hpp>

namespace renth {

const std::vector<FigureKind>& figure_kinds() {
  static const std::vector<FigureKind> kinds = {
      {"predicted-observed", "cross-validated predictions against observations, check runs apart",
       figure_predicted_observed, false, "quality"},
      {"error-map", "where over two parameters runs are predicted badly, and how sure the surrogate is",
       figure_error_map, true},
      {"learning", "Q² against the number of runs, and how many more would reach the target",
       figure_learning},
      {"curve", "a curve at one setting with its bands, and R² and Q² at each axis point", figure_curve, true,
       "curve"},
      {"residuals", "a polynomial's residuals four ways, or against a parameter (--against P)",
       figure_residuals, true},
      {"effects", "a polynomial's effects, sorted, with the line of significance, and on half-normal paper",
       figure_effects, true},
      {"main-effects", "a response along each parameter, averaged over the others", figure_main_effects,
       true},
      {"interaction",
       "the same for all pairs, or large along --x with a line for each of a few values of --y",
       figure_interaction, true},
      {"contour", "a response over two parameters (--x A --y B), the others held", figure_contour, true,
       "map"},
      {"surface", "the same in three dimensions, with the contour beneath", figure_surface, true, "surface"},
      {"overlap", "where over two parameters all accept limits hold", figure_overlap},
      {"slices", "a response along each parameter, with its band", figure_slices, true, "slices"},
      {"importance", "shares of variance with intervals", figure_importance, false, "quality"},
      {"importance-matrix", "shares of all responses side by side, with directions",
       figure_importance_matrix},
      {"importance-curve", "shares along the axis of a curve, with their bands", figure_importance_curve,
       true},
      {"trajectories", "elementary effects: their size against their spread", figure_trajectories},
      {"swings", "how far each parameter alone moves a response from a setting (--at)", figure_swings},
      {"front", "the trade-off that seek --front found, what else is reached, runs and confirmed runs",
       figure_front, false, "front"},
      {"parallel", "the same front, a line a setting through all goals and parameters", figure_parallel},
      {"history", "what seek --refine predicted and what the solver computed, round by round",
       figure_history},
      {"yield", "yield in production against each parameter's real value, with how often that happens",
       figure_yield},
      {"scatter", "the distribution of each response in production, with its limits", figure_scatter},
      {"pass-fail", "settings in and out of specification over every two parameters, with the window",
       figure_pass_fail},
      {"window", "the operating window: room left against the share in specification, and where it lies",
       figure_window},
      {"failures", "failed and done runs over the two parameters that separate them best", figure_failures},
      {"variance", "a plan's prediction variance: contour over two parameters, slices along all",
       figure_variance},
      {"region-share", "prediction variance against share of the region, several plans overlaid",
       figure_region_share},
      {"pairs", "a plan's projections on every two parameters, by origin", figure_pairs},
      {"correlation", "which terms a plan cannot keep apart", figure_correlation},
      {"sweep", "efficiency against the number of runs (--runs A..B --model TERMS)", figure_sweep},
  };
  return kinds;
}

namespace {

/// Who sees the figure without its notes must see that as well: above its title.
void mark_weak(Gnuplot& g, const Notes& notes) {
  std::string words;
  for (const Note& n : notes)
    if (n.code == "unfit" || n.code == "weak")
      words += (words.empty() ? "" : "; ") + n.text.substr(0, n.text.find(':'));
  if (words.empty()) return;
  constexpr std::size_t most = 140;
  g.first(fmt::format("set label 1004 {} at screen 0.975, screen 0.985 right font ',11' tc rgb '{}' front",
                      quote(shortened(words, most)), colour::accent));
}

}  // namespace

Gnuplot make_figure(Session& session, const DrawingOptions& options, Notes& notes) {
  std::vector<std::string> known;
  for (const FigureKind& kind : figure_kinds()) {
    if (kind.name == options.figure) {
      Notes own;
      Gnuplot drawing = kind.make(session, options, own);
      mark_weak(drawing, own);
      add_notes(notes, own);
      return drawing;
    }
    known.push_back(kind.name);
  }
  refuse_unknown("figure", options.figure, "draw", known);
}

Notes draw_figure(Session& session, const DrawingOptions& options) {
  Notes notes;
  make_figure(session, options, notes).render(options.file);
  return notes;
}

}  // namespace renth
