// Everything that a fitted study knows, without files.
#pragma once
#include <memory>
#include <optional>
#include <renth/predict/fold_models.hpp>
#include <renth/problem/problem.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/surrogate.hpp>
#include <string>
#include <vector>

namespace renth {

/// A problem with a surrogate for each of its responses and what their intervals need. Immutable once made;
/// may be asked from several threads at once.
struct Model {
  /// Of a response that is fitted.
  struct Part {
    std::shared_ptr<const Surrogate> surrogate;
    FoldModels folds;
    std::string verdict = {};  ///< how far it can be believed, in a word; empty: nobody judged it
  };
  Problem problem;
  /// One a response; none for derived ones and those not fitted.
  std::vector<std::shared_ptr<const Part>> parts;
  Coverage coverage;                             ///< by the runs that the surrogates were fitted to
  std::shared_ptr<const Surrogate> feasibility;  ///< chance that the solver succeeds; none if it never failed

  /// Can this response be predicted: has all it is worked out from a surrogate?
  bool has(int response) const;
  /// The fewest folds of any surrogate that a response needs; 0: some have none.
  int folds(int response) const;
};

/// Does a model fit together? \throws Error  as check_problem(); not one part a response; a part of a derived
///                               response; nothing that can be predicted.
void check_model(const Model& model);

}  // namespace renth
