// Sums of weighted correlations with the same runs, for many points: what the mean of kriging is made of.
#pragma once
#include <renth/numeric/kernels.hpp>
#include <vector>

namespace renth {

/// Σ_j weights[j] k(p, x_j) at many points p. The runs are laid out once, so that a point costs little more
/// than the kernel itself: distances are taken from inner products where that loses no digits (from five
/// features on, if few runs are near others), and else from differences.
class WeightedSums {
 public:
  WeightedSums() = default;
  /// \param runs     n numbers a feature, one feature after another: scaled as for kernels::correlations()
  /// \param weights  n
  WeightedSums(Kernel kernel, const double* runs, std::size_t features, std::size_t n, const double* weights);

  /// \param points  count × features, one point's features after another's
  /// \param out     count sums; each is the same whatever is asked with it
  void operator()(const double* points, std::size_t count, double* out) const;

 private:
  struct alignas(64) Row {
    double of[kernels::tile];
  };
  Kernel kernel_ = Kernel::matern52;
  std::size_t features_ = 0, tiles_ = 0;
  std::vector<Row> rows_;       // of each tile: weights, squared lengths, features
  std::vector<double> centre_;  // of the runs, which keeps inner products short
  double longest_ = 0;          // the largest squared length
  bool products_ = false;
};

}  // namespace renth
