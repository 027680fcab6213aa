// The table of kinds that can be fitted, and the ways of fitting each.
#pragma once
#include <functional>
#include <optional>
#include <renth/fit/fit.hpp>
#include <renth/fit/kriging_fit.hpp>
#include <renth/fit/kriging_objective.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/rbf.hpp>
#include <renth/surrogate/transform.hpp>
#include <string>
#include <string_view>
#include <vector>

namespace renth {

/// What may be asked of a fit by name; each kind takes what concerns it. What is not given is tried in
/// several ways.
struct FitRequest {
  std::string terms;    ///< TERMS of a polynomial; empty: suggested from the runs
  Transform transform;  ///< of the response of a polynomial
  // Of kriging:
  std::optional<Kernel> kernel;
  std::string trend;  ///< TERMS, or constant
  KrigingCriterion criterion = KrigingCriterion::likelihood;
  KrigingOptions::Nugget nugget = KrigingOptions::Nugget::when_needed;
  double noise_variance = 0;
  bool prior = true;
  bool take_scale = false;  ///< a logarithmic scale is taken even where it is not clearly likelier
  // Of radial basis functions:
  std::optional<RadialBasis> basis;
};

/// One way of fitting a single output: a kind with its settings.
struct FitMethod {
  std::string kind;
  std::string settings;  ///< in words; empty if the kind has but one
  Fit fit;
  /// The same again on part of the runs, hyperparameters refitted, starting where `whole` ended; for kriging
  /// and chaos on up to 40 runs that scatter all is sought afresh.
  std::function<Fit(const Surrogate& whole)> again;
};

/// One kind of surrogate.
struct SurrogateKind {
  std::string name, summary;
  /// The ways of fitting it that these runs and this request leave, the plainest first.
  std::function<std::vector<FitMethod>(const Space&, const Data&, const FitRequest&)> methods;
};

/// All kinds that are fitted to runs, in the order in which they are tried, simplest first. A blend of them
/// is made by fit_response.
const std::vector<SurrogateKind>& surrogate_kinds();

/// \throws Error  an unknown name; the message lists the known ones.
const SurrogateKind& surrogate_kind(std::string_view name);

/// The method for a response of several outputs: an axis point at a time, or its shapes.
FitMethod for_each_axis_point(const FitMethod& method);
FitMethod for_shapes(const FitMethod& method);

}  // namespace renth
