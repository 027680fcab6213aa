// How evenly a plan fills the region's box.
#pragma once
#include <renth/space/space.hpp>

namespace renth {

/// Distances are Euclidean in the unit cube, two different choices being 1 apart. NaN for fewer than two
/// runs.
struct Evenness {
  double min_distance = 0;         ///< smallest distance between two runs
  double mean_distance = 0;        ///< mean over all pairs of runs
  double mean_nearest = 0;         ///< mean distance of a run to its nearest
  double discrepancy = 0;          ///< centred_discrepancy() of the runs in the unit cube
  double max_abs_correlation = 0;  ///< between two numeric columns
};
Evenness evenness(const Space& space, Points points);

/// The centred L2 discrepancy of points in the unit cube (n × d): how far the share of points in boxes
/// that reach to the nearest corner is from their volume. 0 is even. (F. J. Hickernell, Math. Comp. 67,
/// 1998, eq. (5.1c); the square root is taken.) Values outside the cube count as on its face. O(n²d).
double centred_discrepancy(Points unit);

/// For each point the distance to the nearest of `others`.
Eigen::VectorXd nearest_distances(const Space& space, Points points, Points others);

}  // namespace renth
