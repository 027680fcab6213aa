// Laying out panels, and the words on them.
#pragma once
#include <renth/base/names.hpp>
#include <renth/document/text_table.hpp>
#include <renth/figure/gnuplot.hpp>
#include <renth/study/study.hpp>

namespace renth {

/// Opens a multiplot of `panels` panels with a title and a quieter line below it.
/// \param label_room  share of the width that the words left of each panel need.
void begin_panels(Gnuplot& g, int panels, const std::string& title, const std::string& subtitle,
                  double label_room = 0.075);
/// How many panels begin_panels() sets side by side.
int panel_columns(int panels);
void end_panels(Gnuplot& g);

/// The words beside the vertical axis, for panels of one scale: only on the first of each row.
void only_first_labelled(Gnuplot& g, int panel, int panels, const std::string& words);

/// A row of signs with their words at the upper right, above all panels.
struct KeyItem {
  std::string words;
  int point_type;
  double size;
  const char* ink;
};
void key_above(Gnuplot& g, const std::vector<KeyItem>& items);

/// A title and a quieter second line for a figure of one panel.
void head(Gnuplot& g, const std::string& title, const std::string& subtitle);

/// What head() and begin_panels() wrote is not written again by the panels that follow.
void forget_head(Gnuplot& g);

/// Where a parameter is shown: `along` places on a span, each level or choice.
std::vector<double> shown_values(const Parameter& parameter, int along);

/// Label, range and tics of a parameter across: its span, or each level or choice.
void parameter_axis(Gnuplot& g, const Parameter& parameter);

/// Held values: "draft 3 m, hull steel", without the parameters in `without`.
std::string held_values(const Study& study, const Eigen::VectorXd& at,
                        const std::vector<Eigen::Index>& without);

/// The range of an axis ("x" or "y") for values from `low` to `high` with `spare` (a share of that) beyond
/// both; something round a single value, and 0 … 1 where there is none.
std::string axis_range(const std::string& axis, double low, double high, double spare);

/// A round number near x, for contour steps: 1, 2 or 5 times a power of ten.
double round_step(double x);

}  // namespace renth
