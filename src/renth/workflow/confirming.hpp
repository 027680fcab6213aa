// Settings found, on the solver.
#pragma once
#include <renth/workflow/predicting.hpp>
#include <renth/workflow/running.hpp>

namespace renth {

struct ConfirmRequest {
  std::vector<int> proposals;  ///< ranks; empty: the best
  std::vector<Settings> at;    ///< instead of proposals
  RunningOptions running;
  double level = 0.95;
};

/// Plans a confirm batch at the settings (or takes up the one that has them), runs it if the study has a
/// solver, and compares. \throws Error  nothing was sought yet; an unknown rank.
ConfirmResult confirm_settings(Session& session, const ConfirmRequest& request);

}  // namespace renth
