// Everything that a fitted study knows, without files.
#pragma once
#include <memory>
#include <optional>
#include <renth/predict/fold_models.hpp>
#include <renth/problem/problem.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/surrogate.hpp>
#include <vector>

namespace renth {

/// A problem with a surrogate for each of its responses and what their intervals need. Immutable once made;
/// may be asked from several threads at once.
struct Model {
  /// Of a response that is fitted.
  struct Part {
    std::shared_ptr<const Surrogate> surrogate;
    FoldModels folds;
  };
  Problem problem;
  std::vector<std::optional<Part>> parts;  ///< one a response; none for derived ones and those not fitted
  Coverage coverage;                       ///< by the runs that the surrogates were fitted to
  std::shared_ptr<const Surrogate> feasibility;  ///< chance that the solver succeeds; none if it never failed

  /// Can this response be predicted: has all it is worked out from a surrogate?
  bool has(int response) const;
  /// The fewest folds of any surrogate that a response needs; 0: some have none.
  int folds(int response) const;
};

}  // namespace renth
