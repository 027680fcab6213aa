// Even filling of whatever the limits leave, round the runs that exist.
#pragma once
#include <renth/numeric/random.hpp>
#include <renth/plan/plan.hpp>

namespace renth {

/// Options of a spread plan.
struct SpreadOptions {
  int runs = 0;              ///< 0: suggested_runs
  Eigen::MatrixXd existing;  ///< m × d, natural units: runs to keep away from, or empty
};

/// Runs far from one another and from those that exist, settable and inside the limits, however little of
/// the box these leave. First, farthest of 8 000 points of the region one after another (T. F. Gonzalez,
/// Theor. Comput. Sci. 38, 1985); then the run with the nearest neighbour moves, anywhere or a little, for as
/// long as that increases its distance; half way in from the edge counts as far, so that not all runs end
/// there. Any number of its first runs is spread too. Origin `fill`. \throws Error  the limits leave less
/// than about a millionth of the box.
Plan spread(const Space& space, const SpreadOptions& options, Seed seed);

}  // namespace renth
