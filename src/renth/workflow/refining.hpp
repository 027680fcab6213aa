// Planning, running and fitting again where it helps most, until it is good enough.
#pragma once
#include <renth/numeric/random.hpp>
#include <renth/workflow/fitting.hpp>
#include <renth/workflow/running.hpp>

namespace renth {

/// What a round of refining gained.
struct RefineRound {
  int round = 0;
  std::string batch;
  int runs = 0, failed = 0;  ///< of the batch
  std::map<std::string, double> q2_before, q2;
  double best_error_percent =
      0;             ///< half-width of the prediction interval at the best setting; NaN if not asked
  std::string says;  ///< one line
};

struct RefineResult {
  std::vector<RefineRound> rounds;
  std::string strategy;
  bool reached = false, stopped = false;
  int spent = 0, budget = 0, failed = 0;
  std::string why;  ///< it ended
  std::map<std::string, double> q2;
  std::map<std::string, Verdict> verdicts;
  bool to_be_measured = false;  ///< a manual study: runs are planned and wait for values
  Notes notes;
};

/// Ways of choosing where to run next (see RefiningOptions::strategy).
inline const std::vector<std::string> refine_strategies = {"uncertain", "level", "best"};

struct RefiningOptions {
  /// Q² wanted of responses by name; empty: 0.95 of all that are fitted, unless `until_error` is given.
  std::map<std::string, double> until;
  /// Half-width of the prediction interval at the best setting, in per cent of the value, for all goals; 0:
  /// not asked.
  double until_error = 0;
  int budget = 0;  ///< runs in all; 0: half the suggestion for the study
  int batch = 0;   ///< runs a round; 0: a tenth of the suggestion, at least four
  /// `uncertain`: where surrogates know least. `level`: where `level_response` crosses `level`. `best`: where
  /// the goals are likely to be bettered. Empty: best with until_error, level with a level, else uncertain.
  std::string strategy;
  std::string level_response;
  double level = 0;
  /// Only where runs are likely to succeed, as learned from those that failed; 0: everywhere.
  double feasible = 0.5;
  FittingOptions fitting;  ///< kind and settings of the fits; empty: chosen anew each round
  RunningOptions running;
  std::optional<Seed> seed;
  std::function<void(const RefineRound&)> report = [](const RefineRound&) {};  ///< after each round
};

/// Each round fits what is out of date, looks at the targets, plans a batch, runs it, and fits again. Batches
/// are called refine-1, refine-2 …; one that was left unfinished is finished first and counts towards the
/// budget. Everything else is kept as `plan`, `run` and `fit` keep it, so that it can be stopped at any time.
///
/// \throws Error  nothing to fit; unknown names; no goal (strategy best); no level.
RefineResult refine(Session& session, const RefiningOptions& options);

}  // namespace renth
