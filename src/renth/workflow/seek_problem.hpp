// What is sought in a study, in the core's terms.
#pragma once
#include <memory>
#include <renth/workflow/seeking.hpp>

namespace renth {

/// Goals, conditions and holds of one scenario, with what was typed.
struct Wanted {
  std::vector<Goal> goals;
  std::vector<std::string> keep;
  Settings hold;
  std::vector<int> besides;  ///< responses that are looked at besides goals and limits
};

/// \param scenario  empty: none. \throws Error  unknown names; a weight without a goal.
Wanted wanted(const Study& study, const SeekRequest& request, const std::string& scenario);

/// What stays as it is, one entry a parameter; empty: nothing.
std::vector<std::optional<double>> held(const Study& study, const Settings& hold);

/// Its responses are those of the study, NaN where nobody asks for them, then the margins of conditions, then
/// what its limits need besides.
struct SoughtProblem {
  SeekProblem problem;
  std::vector<Expression> conditions;
  std::size_t columns = 0;  ///< of its responses
};

/// \param fitted  outlives it. \param probability  with which limits on responses must hold; 0: by the means.
/// \param accept_limits  accept limits are hard; else they are somebody else's.
/// \throws Error  a goal or a condition on what has no surrogate.
std::unique_ptr<SoughtProblem> sought_problem(const Study& study, const Wanted& want,
                                              const FittedStudy& fitted, double probability, Notes& notes,
                                              bool accept_limits = true);

/// The scale of a constraint is the spread of its margin over the region.
void scale_constraints(SeekProblem& problem, Seed seed);

}  // namespace renth
