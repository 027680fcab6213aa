// What may be asked of a fit, as people write it, and what the core makes of it.
#pragma once
#include <functional>
#include <nlohmann/json.hpp>
#include <optional>
#include <renth/fit/methods.hpp>
#include <renth/numeric/random.hpp>
#include <renth/selection/choose.hpp>
#include <renth/store/store.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/transform.hpp>
#include <string>
#include <vector>

namespace renth {

struct FittingOptions {
  std::string kind;   ///< empty: the kind that predicts best
  std::string terms;  ///< TERMS of a polynomial
  // More of polynomials; anything here asks for one:
  std::vector<std::string> drop, keep;  ///< terms by name
  std::string choose, by;               ///< choice_method_words, choice_rule_words; empty: none, p
  double enter = 0.05, leave = 0.10;
  bool heredity = true;
  std::string transform;  ///< log, sqrt, inverse, box-cox or a power; empty: none
  std::string weights;    ///< expression of a run's weight; empty: all alike
  // Of kriging; anything here asks for one:
  std::string kernel, trend;  ///< kernel_words; TERMS or constant; empty: several are tried
  std::string nugget;         ///< auto, none, estimated, replicates or a variance; empty: auto
  std::string criterion;      ///< likelihood or leave-one-out; empty: likelihood
  bool prior = true;          ///< on the correlation lengths
  std::string basis;          ///< of radial basis functions; asks for them; empty: all are tried
  // Of the choice:
  int candidates = 0;     ///< at most; 0: all
  int repeats = 0;        ///< of cross-validation; 0: as suggested_repeats
  bool drop_idle = true;  ///< try without parameters that carry no information
  std::function<void(const std::string& response, int done, int total, const std::string& candidate)>
      progress;
  /// Told before anything is fitted, if that will take more than a minute: how much, and
  /// expected_fit_seconds().
  std::function<void(const std::string& what, double seconds)> expect;
  std::vector<std::string> responses;  ///< empty: all
  bool take_confirm = false;           ///< fit the runs of confirm batches too
  bool mixed = false;                  ///< fit runs together that were not computed alike
  std::optional<Seed> seed;            ///< of folds and starts; default: the study's
  double level = 0.95;
  std::string keep_as;  ///< a name that the fits are kept by too; empty: none
};

/// The options in the core's terms, checked against one another; the transform comes with the data.
/// \throws Error  an unknown name; as kind_asked(); terms to keep without a choice.
FitOptions fit_asked(const Space& space, const FittingOptions& options);

/// The power that is asked for; Box and Cox's where they are to choose.
Transform transform_asked(const Space& space, const Data& data, const FittingOptions& options);

/// The options as they are kept with a surrogate, so that it can be fitted again on other runs.
nlohmann::json options_to_keep(const FittingOptions& options, Seed seed);
/// The options that were asked for, as they were kept.
FittingOptions options_of(const StoredSurrogate& stored);
/// What was asked of the fit of a stored surrogate.
FitRequest request_of(const StoredSurrogate& stored);

/// A fit that does on any runs of this space what was chosen then (see fit_as_chosen()).
Fit fit_as_stored(const Space& space, const Data& data, const StoredSurrogate& stored);

}  // namespace renth
