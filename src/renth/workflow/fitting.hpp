// Fitting surrogates to the runs of a study, and saying how far to trust them.
#pragma once
#include <functional>
#include <renth/selection/choose.hpp>
#include <renth/workflow/session.hpp>

namespace renth {

struct FittingOptions {
  std::string kind;   ///< empty: the kind that predicts best
  std::string terms;  ///< TERMS of a polynomial
  // More of polynomials; anything here asks for one:
  std::vector<std::string> drop, keep;  ///< terms by name
  std::string choose, by;               ///< choice_method, choice_rule; empty: none, p
  double enter = 0.05, leave = 0.10;
  bool heredity = true;
  std::string transform;  ///< log, sqrt, inverse, box-cox or a power; empty: none
  std::string weights;    ///< expression of a run's weight; empty: all alike
  // Of kriging; anything here asks for one:
  std::string kernel, trend;  ///< kernel_named; TERMS or constant; empty: several are tried
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
  std::vector<std::string> responses;  ///< empty: all
  bool take_confirm = false;           ///< fit the runs of confirm batches too
  std::optional<Seed> seed;            ///< of folds and starts; default: the study's
  double level = 0.95;
};

/// Fits each response and stores the result as its current surrogate.
/// \throws Error  no response can be fitted. Single ones that can't are told in a note.
FitResult fit_responses(Session& session, const FittingOptions& options);

/// What was asked of the fit of a stored surrogate, so that it can be done again on other runs.
FitRequest request_of(const StoredSurrogate& stored);

/// The current polynomial of one response, with everything it is printed with. \throws Error  another kind, a
/// curve.
ModelResult current_polynomial(Session& session, const std::string& response, double level, Notes& notes);

struct TrustOptions {
  std::vector<std::string> responses;  ///< empty: all
  double level = 0.95;
  double target = 0.95;  ///< Q² of the learning curve
  /// Whether the learning curve is worked out: asked for, or with up to 150 runs.
  enum class Learning { when_quick, always, never } learning = Learning::when_quick;
};

/// Quality, verdict and residuals of the current surrogates. \throws Error  one is missing.
TrustResult trust_responses(Session& session, const TrustOptions& options);

/// How the current surrogate of a response does on its runs and on the check batches.
ModelResult judge_surrogate(Session& session, const Response& response, const StoredSurrogate& stored,
                            const RunData& data, double level);

/// Judges the surrogate of a response and adds a note if it is weak or unfit.
Verdict note_verdict(Session& session, const Response& response, const StoredSurrogate& stored, Notes& notes);

}  // namespace renth
