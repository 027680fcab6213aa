// What is sought of a model, in words and names, as a problem for the search.
#pragma once
#include <memory>
#include <renth/base/notes.hpp>
#include <renth/predict/predictor.hpp>
#include <renth/search/seek.hpp>

namespace renth {

/// What may be wished besides the goals and limits of the problem.
struct SeekWishes {
  std::vector<std::string> maximise = {},
                           minimise = {};  ///< responses; any goal here replaces those of the problem
  std::vector<std::pair<std::string, double>> target = {}, weight = {};
  std::vector<std::string> keep = {};  ///< conditions on responses and parameters
  Settings hold = {};                  ///< parameters that stay as they are
};

/// Goals, conditions and holds of one scenario, with what was typed.
struct Wanted {
  std::vector<Goal> goals;
  std::vector<std::string> keep;
  Settings hold;
  std::vector<int> besides;  ///< responses that are looked at besides goals and limits
};

/// \param scenario  empty: none. \throws Error  unknown names; a weight without a goal.
Wanted wanted(const Problem& problem, const SeekWishes& wishes, const std::string& scenario);

/// What stays as it is, one entry a parameter; empty: nothing.
std::vector<std::optional<double>> held(const Problem& problem, const Settings& hold);

/// Its responses are those of the model, NaN where nobody asks for them, then the margins of conditions, then
/// what its limits need besides.
struct SoughtProblem {
  SeekProblem problem;
  std::vector<Expression> conditions;
  std::size_t columns = 0;  ///< of its responses
};

/// \param predictor  outlives it. \param probability  with which limits on responses must hold; 0: by the
/// means. \param accept_limits  accept limits are hard; else they are somebody else's. \throws Error  a goal
/// or a condition on what has no surrogate.
std::unique_ptr<SoughtProblem> sought_problem(const Problem& problem, const Wanted& want,
                                              const Predictor& predictor, double probability, Notes& notes,
                                              bool accept_limits = true);

/// The scale of a constraint is the spread of its margin over the region.
void scale_constraints(SeekProblem& problem, Seed seed);

}  // namespace renth
