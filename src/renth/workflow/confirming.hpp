// Settings found, on the solver.
#pragma once
#include <renth/workflow/running.hpp>

namespace renth {

struct ConfirmResult {
  struct OfResponse {
    std::string response;
    double predicted = 0, low = 0, high = 0;
    std::optional<double> computed;
    std::optional<double> error_percent;
    std::optional<bool> inside;
  };
  struct OfCurve {
    std::string response;
    std::vector<OfResponse> at;  ///< one an axis point
  };
  struct OfProposal {
    int rank = 0;
    std::string scenario, mark;  ///< of what, where it was one
    std::int64_t run = 0;
    std::string status, message;
    Eigen::VectorXd point;
    std::vector<OfResponse> responses;
    std::vector<OfCurve> curves;
  };
  std::vector<OfProposal> proposals;
  bool missed = false;  ///< some computed value, of no curve, lies outside its prediction interval
  double level = 0.95;  ///< of the intervals
  Notes notes;
};

struct ConfirmRequest {
  std::vector<std::string> proposals;  ///< as proposal_named(); empty: the best
  std::vector<std::string> marks;      ///< settings kept by name
  std::vector<Settings> at;            ///< instead of proposals
  RunningOptions running;
  std::map<std::string, std::string> recipe;  ///< kept with a batch that is planned for it
  double level = 0.95;
};

/// Plans a confirm batch at the settings (or takes up the one that has them), runs it if the study has a
/// solver, and compares. \throws Error  nothing was sought yet; an unknown rank.
ConfirmResult confirm_settings(Session& session, const ConfirmRequest& request);

}  // namespace renth
