// Maximising a function of the settings over the region, with everything that can't be set obeyed.
#pragma once
#include <Eigen/Core>
#include <functional>
#include <optional>
#include <renth/numeric/random.hpp>
#include <renth/space/space.hpp>
#include <vector>

namespace renth {

/// At m points, all at once (m × d in): what is to be large, then margins that must not be below 0, over
/// scales that make them comparable (m × (1 + c) out); must be re-entrant. NaN: nothing is there.
using Aims = std::function<Eigen::MatrixXd(Points)>;

struct MaximiseOptions {
  int samples = 2048;  ///< points looked at first; all settings, if there are no more than that
  /// Local searches that are made at a time, from the best points that are not close to one another; as long
  /// as one finds something better, as many again.
  int starts = 6;
  int most_starts = 48;
  /// Values that stay as they are: one entry a parameter, or empty.
  std::vector<std::optional<double>> hold;
  /// Points to start from (n × d) in place of a sample and evolution, as of an earlier search; no rows: none.
  Eigen::MatrixXd from = {};
  bool settable = true;  ///< obey steps and sizes; false: any value of the span (not for levels and choices)
};

/// One end of a local search.
struct Maximum {
  Eigen::VectorXd point;
  double value = 0;
  double violation = 0;  ///< the sum of negative margins; 0: all hold
};

/// The ends of all local searches, best first: those that hold every margin, then those that violate least;
/// every point obeys spans, limits, holds, steps, levels and choices exactly.
///
/// A scrambled Sobol' sample of the region; differential evolution from the best of it, with parameters of
/// its own that adapt (J. Zhang and A. C. Sanderson, IEEE Trans. Evolutionary Computation 13, 2009), those
/// that hold before those that do not (K. Deb, Computer Methods in Applied Mechanics and Engineering 186,
/// 2000); from the best that are apart, sequential quadratic programming in what is continuous (D. Kraft's,
/// in NLopt) and exchange of what can only be set in steps, until neither helps. Few discrete settings are
/// all searched, and few settings at all are all looked at: then the result is exact.
///
/// \throws Error  a hold that cannot be set; limits and holds that leave nothing.
std::vector<Maximum> maximise(const Space& space, const Aims& aims, const MaximiseOptions& options,
                              Seed seed);

/// The end of one local search alone. \param start  obeys limits and what can be set.
Maximum climb_from(const Space& space, const Aims& aims, const MaximiseOptions& options,
                   const Eigen::VectorXd& start);

}  // namespace renth
