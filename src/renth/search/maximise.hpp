// Maximising a function of the settings over the region, with everything that can't be set obeyed.
#pragma once
#include <Eigen/Core>
#include <functional>
#include <optional>
#include <renth/numeric/random.hpp>
#include <renth/space/space.hpp>
#include <vector>

namespace renth {

/// Values at m points, all at once (m × d in, m out); higher is better; must be re-entrant.
using Merit = std::function<Eigen::VectorXd(Points)>;

struct MaximiseOptions {
  int samples = 4096;  ///< points looked at first; all settings, if there are no more than that
  int starts = 12;     ///< local searches, from the best points that are not close to one another
  /// Values that stay as they are: one entry a parameter, or empty.
  std::vector<std::optional<double>> hold;
  bool settable = true;  ///< obey steps and sizes; false: any value of the span (not for levels and choices)
};

/// One end of a local search.
struct Maximum {
  Eigen::VectorXd point;
  double value = 0;
};

/// The ends of all local searches, best first; every point obeys spans, limits, holds, steps,
/// levels and choices exactly.
///
/// A scrambled Sobol' sample of the region, then from each start in turn: subplex search over what
/// is continuous (T. H. Rowan's Subplex, in NLopt), exchange of every value that can only be set in
/// steps, one at a time and neighbours in pairs, until neither helps. Small discrete problems are
/// enumerated, so their result is exact.
///
/// \throws Error  a hold that cannot be set; limits and holds that leave nothing.
std::vector<Maximum> maximise(const Space& space, const Merit& merit, const MaximiseOptions& options,
                              Seed seed);

}  // namespace renth
