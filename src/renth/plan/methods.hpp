// The table of plan methods, and the choice among them.
#pragma once
#include <functional>
#include <optional>
#include <renth/numeric/random.hpp>
#include <renth/plan/plan.hpp>

namespace renth {

/// What may be asked of a plan by name; each method takes what concerns it and refuses what does not.
struct PlanRequest {
  int runs = 0;           ///< 0: a suggestion of the method's
  int runs_to = 0;        ///< > runs: a range, for sweeping optimal plans
  std::string criterion;  ///< of a Latin hypercube or an optimal plan
  std::string
      model;       ///< TERMS of an optimal plan, or several of which one may hold, by ";"; empty: quadratic
  int levels = 0;  ///< of a full factorial or an orthogonal array; 0: the method's default
  int replicates = 1;                  ///< of a factorial
  std::string resolution, generators;  ///< of a fractional factorial
  std::string axial;  ///< of a central composite plan; empty: rotatable, or what makes blocks orthogonal
  int centre = -1;    ///< centre runs; −1: the method's default
  int blocks = 1;
  std::string stage;          ///< of a central composite plan: corners, axial or nothing
  int first_block = 0;        ///< of the second stage
  int restarts = 10;          ///< of an optimal plan
  int pure_error = 0;         ///< of an optimal plan: runs that repeat another
  int whole_plots = 0;        ///< of an optimal plan with hard parameters; 0: a suggestion
  double variance_ratio = 1;  ///< of such a plan: variance between whole plots to that of runs
  double effort = 1;          ///< of a Latin hypercube: how long to search
  bool random_order = true;
  Eigen::MatrixXd existing;         ///< runs that exist: counted by optimal, kept away from by spread
  Eigen::VectorXi existing_blocks;  ///< of those, or empty
  Eigen::MatrixXd candidates;       ///< the only settings that an optimal plan may use
  Eigen::VectorXd at;               ///< the setting of a scatter plan
};

struct PlanMethod {
  std::string name, summary;
  std::vector<std::string>
      options;  ///< names of the options of `plan` that it takes, besides batch, use, seed
  /// \throws Error  an option that it does not take; as the method.
  std::function<Plan(const Space&, const PlanRequest&, Seed)> make;
};

const std::vector<PlanMethod>& plan_methods();

/// \throws Error  an unknown name; the message lists the known ones.
const PlanMethod& plan_method(std::string_view name);

struct OptimalOptions;
/// What an optimal plan takes from a request, defaults filled in. \throws Error  unknown terms or criterion.
OptimalOptions optimal_options(const Space& space, const PlanRequest& request);

/// Which method suits, and why in a sentence.
struct PlanChoice {
  std::string method, why;
  PlanRequest request;  ///< what was asked for, completed
};

/// \param noisy     runs scatter, as measurements do.
/// \param existing  runs that there are already for fitting.
PlanChoice choose_plan(const Space& space, bool noisy, Eigen::Index existing, const PlanRequest& request,
                       Seed seed);

}  // namespace renth
