// Seek, confirm, fit again, until what is found holds on the solver.
#pragma once
#include <renth/workflow/confirming.hpp>
#include <renth/workflow/seeking.hpp>

namespace renth {

struct SeekRefineOptions {
  int budget = 10;            ///< confirming runs in all
  double within_percent = 2;  ///< of every goal, besides its prediction interval
  RunningOptions running;
  std::function<void(const std::string& line)> report = [](const std::string&) {};
};

/// On a study without runs or surrogates it plans, runs and fits first. Then, round by round: the best
/// setting by the surrogates is run; if every goal lies in its prediction interval and within the per cent,
/// or the surrogates propose what was computed already, it ends, else the surrogates are fitted again with
/// that run. The rounds are kept with their batches, so that one that was stopped goes on where it was.
///
/// \throws Error  as seek_settings() and fit_responses(); a front, or several scenarios at once.
SeekAnswer seek_and_refine(Session& session, const SeekRequest& request, const SeekRefineOptions& options);

/// The rounds so far, oldest first, of all such searches of the scenario.
std::vector<SeekRound> seek_history(Session& session, const std::string& scenario);

}  // namespace renth
