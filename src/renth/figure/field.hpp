// A value over two parameters, the others held: evaluated once, drawn as a filled picture with lines.
#pragma once
#include <functional>
#include <renth/figure/gnuplot.hpp>
#include <renth/space/space.hpp>

namespace renth {

/// A regular grid over two parameters, the others as in `at` (columns fastest).
Eigen::MatrixXd grid_points(const Space& space, Eigen::Index x, Eigen::Index y, const Eigen::VectorXd& at,
                            int columns, int rows);

/// Values on a grid; forbidden places count for nothing.
class Field {
 public:
  /// \param figure  named in errors.
  /// \param remedy  what to do about a parameter that has nothing between its values; {} is its name.
  /// \throws Error  such a parameter; x and y are the same.
  Field(const Space& space, Eigen::Index x, Eigen::Index y, const Eigen::VectorXd& at, int columns, int rows,
        const std::function<Eigen::VectorXd(Points)>& value, const std::string& figure,
        const std::string& remedy);

  double low = INFINITY, high = -INFINITY;  ///< of the allowed places; low > high: there are none
  bool forbidden = false;                   ///< some place is

  /// \throws Error  the limits leave too few places for a picture.
  void need_places(const std::string& figure) const;
  /// \throws Error  the same; the values are all alike.
  void need_relief(const std::string& figure) const;
  /// Puts $contours, lines `step` apart, $runs and $at into the figure. \returns  what plots the filled
  /// picture.
  std::string add_to(Gnuplot& g, double step, const Eigen::MatrixXd& runs) const;
  /// Puts the values of these lines into it. \returns  what plots them, as a further part of a plot; empty if
  /// none has room.
  /// \param width  of the picture in pixels.
  std::string add_line_values(Gnuplot& g, double step, const Eigen::MatrixXd& runs, double width = 985) const;
  /// Ranges, labels and colours of the axes.
  std::string axes(double most) const;

 private:
  const Space& space_;
  Eigen::Index x_, y_;
  Eigen::VectorXd at_;
  int columns_, rows_, allowed_ = 0;
  std::vector<float> image_;
  std::vector<std::vector<double>> lines_;
};

}  // namespace renth
