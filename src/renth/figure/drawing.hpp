// Figures of a study.
#pragma once
#include <filesystem>
#include <optional>
#include <renth/base/notes.hpp>
#include <renth/figure/gnuplot.hpp>
#include <renth/numeric/random.hpp>
#include <renth/store/session.hpp>
#include <renth/workflow/named_settings.hpp>
#include <string>
#include <vector>

namespace renth {

struct DrawingOptions {
  std::string figure;                  ///< one of figure_kinds()
  std::vector<std::string> responses;  ///< empty: all that the figure can show, or the first
  std::string x, y;                    ///< parameters of a contour; empty: the two that matter most
  SettingAsked held;                   ///< where the others are held
  std::filesystem::path file;
  std::optional<Seed> seed;
  double level = 0.95;
  double target = 0.95;  ///< Q² of learning
  // Of figures of production:
  std::vector<std::pair<std::string, std::string>> set;  ///< another scatter, as ToleranceRequest
  std::vector<std::string> accept;                       ///< other limits
  double within = 0.99;                                  ///< the yield or share that is wanted
  std::string by;         ///< slices: a parameter, a line for each of a few of its values
  bool computed = false;  ///< curve: the run at the setting itself in place of the nearest
  // Of figures of plans:
  std::string batch;                 ///< as find_plan
  std::vector<std::string> against;  ///< region-share: plans overlaid; residuals: a parameter
  std::string model;                 ///< TERMS; empty: as assess
  std::vector<int> centre;           ///< region-share: the plan with these numbers of centre runs instead
  int runs_from = 0, runs_to = 0;    ///< sweep
  std::string criterion = "D";       ///< sweep
};

/// One figure: its name, a sentence, and what finds its data and makes it.
struct FigureKind {
  std::string name, summary;
  Gnuplot (*make)(Session&, const DrawingOptions&, Notes&);
  bool of_one = false;    ///< shows one response, of those named
  std::string view = {};  ///< of the live page that shows the same, for FILE.html; empty: none does
};
const std::vector<FigureKind>& figure_kinds();

/// One figure, not drawn yet. \throws Error  as draw_figure().
Gnuplot make_figure(Session& session, const DrawingOptions& options, Notes& notes);

/// A figure that was drawn, or why it was not.
struct DrawnFigure {
  std::string figure, response;  ///< response: of those that show one
  std::filesystem::path file;    ///< empty: not drawn
  std::string why;               ///< it was not
};
/// Every figure that the study has, into a folder, as .svg or .png by `ending`; those of one response for
/// each that is named (default: all). On all cores.
std::vector<DrawnFigure> draw_all(Session& session, const DrawingOptions& options,
                                  const std::filesystem::path& folder, const std::string& ending);

/// Draws one figure. \throws Error  an unknown figure, response or parameter; no surrogate.
Notes draw_figure(Session& session, const DrawingOptions& options);

}  // namespace renth
