// Where labels can stand without covering what they belong to.
#pragma once
#include <Eigen/Core>
#include <renth/figure/gnuplot.hpp>
#include <string>
#include <vector>

namespace renth {

/// A picture's extent and what it has in pixels, so that near and far mean what the eye sees.
struct Canvas {
  double x_low, x_high, y_low, y_high;
  double width = 985, height = 600;  ///< pixels
  Eigen::Vector2d pixel(double x, double y) const {
    return {(x - x_low) / (x_high - x_low) * width, (y - y_low) / (y_high - y_low) * height};
  }
  double x_of(double pixel) const { return x_low + pixel / width * (x_high - x_low); }
  double y_of(double pixel) const { return y_low + pixel / height * (y_high - y_low); }
};

/// The value of a line, to be written on it.
struct LineLabel {
  double x, y, value;
};

/// Places on lines of equal value: one on each line, another on one that goes far, away from the border, from
/// points and from one another. A line that is too short, or on which there is no room, has none.
/// \param values   rows × columns, columns fastest, over the whole canvas; NaN: nothing there.
/// \param levels   of the lines.
/// \param points   n × 2, where no label may lie.
/// \param labels   that are there already; new ones are added.
void add_line_labels(const std::vector<float>& values, int columns, int rows,
                     const std::vector<double>& levels, const Eigen::MatrixX2d& points, const Canvas& canvas,
                     std::vector<LineLabel>& labels);

/// Puts them into the figure; returns what plots them, as a further part of a plot; empty without any.
std::string plotted_labels(Gnuplot& g, const std::string& block, const std::vector<LineLabel>& labels,
                           const char* ink);

/// The centre of a label of a point: beside it, on the side that is farthest from other points, other labels
/// and the border.
/// \param points  n × 2, all that must not be covered. \param taken  centres of labels; the new one is added.
/// \param radius  of what is drawn at the point, in pixels, beyond that of a dot.
Eigen::Vector2d label_place(const Eigen::Vector2d& at, const Eigen::MatrixX2d& points, const Canvas& canvas,
                            std::vector<Eigen::Vector2d>& taken, double radius = 0);

}  // namespace renth
