// Nearest neighbours among many points.
#pragma once
#include <Eigen/Core>
#include <cstdint>
#include <vector>

namespace renth {

/// A k-d tree (J. L. Bentley, Communications of the ACM 18, 1975) of Euclidean points. Built in
/// O(n log n); a search visits O(log n) leaves when the points really fill few dimensions. Re-entrant.
class KdTree {
 public:
  KdTree() = default;
  /// \param points  n × f; the first `count` rows are taken (all if negative).
  /// \param leaf    points that are not split further. With as many as there are, every search looks at all
  ///                of them, which is the quickest for the first few.
  explicit KdTree(const Eigen::MatrixXd& points, Eigen::Index count = -1, int leaf = 24);

  /// Rows of the m nearest points (fewer if there are fewer), nearest first; of equals the lower row.
  /// \param point  f numbers.
  void nearest(const double* point, int m, std::vector<int>& rows) const;
  /// The squared distance to the nearest point; +∞ without points.
  double nearest_squared(const double* point) const;
  /// The row that lies lowest in a direction of f numbers: the smallest scalar product; of equals the lower
  /// row. −1 without points.
  int lowest(const double* direction) const;

 private:
  struct Node {
    int begin, end;  // of order_
    int left = -1;   // the right one follows it
    int axis = 0;
    double at = 0;
  };
  void split(int node, int leaf);
  void bound_boxes();
  double least(int node, const double* direction) const;
  void search(int node, const double* point, std::size_t m, std::vector<std::pair<double, int>>& heap) const;
  Eigen::Index width_ = 0;
  std::vector<double> points_;  // f numbers a point, in the order of order_
  std::vector<int> order_;
  std::vector<Node> nodes_;
  std::vector<double> boxes_;  // of each node its f smallest values, then its f largest
};

}  // namespace renth
