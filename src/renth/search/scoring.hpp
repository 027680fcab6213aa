// How good a setting is, and what stands in its way.
#pragma once
#include <renth/search/seek.hpp>

namespace renth {

/// Figures of merit of one point; `order` puts feasible before infeasible, wanted before unwanted.
struct Score {
  double violation = 0, desirability = 1, outside = 0;
  double order() const {
    if (violation > 0) return -2 - violation;
    return desirability > 0 ? desirability : -outside / (1 + outside);
  }
};

/// \param y  the responses at the point. \param without  the number of a constraint that is left out; −1:
/// none.
Score score(const SeekProblem& problem, const std::vector<Desirability>& desirabilities,
            const Eigen::VectorXd& point, const Eigen::VectorXd& y, int without = -1);

/// Margins of the constraints over their scales (m × c). \param responses  m × r, at the points.
Eigen::MatrixXd scaled_margins(const SeekProblem& problem, Points points, const Eigen::MatrixXd& responses);

/// What a search is to make large, the overall desirability, below 0 where it is nought, by how far that is
/// from being wanted; and the margins of the constraints over their scales. \param problem, desirabilities
/// outlive it.
Aims aims_of(const SeekProblem& problem, const std::vector<Desirability>& desirabilities);

/// What keeps a proposal from being better.
struct Binding {
  enum class Kind { constraint, limit, low_end, high_end } kind = Kind::constraint;
  std::size_t index = 0;  ///< of the constraint, the limit or the parameter
  bool violated = false;
  std::string text;
};

/// The limits, constraints and ends of spans that bind a proposal: those beyond which, a step away, it would
/// be better; of an infeasible one also those that it violates.
std::vector<Binding> binding_limits(const SeekProblem& problem,
                                    const std::vector<Desirability>& desirabilities,
                                    const Proposal& proposal);

/// What it would bring if each of these gave way: the other way round from what is lost when it is a
/// hundredth of its scale, or one value that can be set, tighter, and the proposal climbs anew.
std::vector<Give> gives_of(const SeekProblem& problem, const std::vector<Desirability>& desirabilities,
                           const Proposal& proposal, const std::vector<Binding>& bindings,
                           const MaximiseOptions& search);

/// The parameters that make no difference anywhere: from one end of their spans to the other no goal's
/// response changes by more than half a per cent of its range over the region, and no constraint's margin by
/// what would be minded, whatever the others are (at thirty-two settings of the region); no limit speaks of
/// them.
std::vector<Eigen::Index> idle_parameters(const SeekProblem& problem,
                                          const std::vector<Desirability>& desirabilities,
                                          const std::vector<bool>& held, Seed seed);

/// The parameters that make no difference at a proposal, brought to their nominal values: anywhere on their
/// spans every limit and constraint holds as before, and every goal's response stays within half a per cent
/// of its range over the region; so it does with all of them at nominal together. \param held  parameters
/// that are not asked about.
std::vector<Eigen::Index> free_parameters(const SeekProblem& problem,
                                          const std::vector<Desirability>& desirabilities,
                                          const std::vector<bool>& held, Proposal& proposal);

}  // namespace renth
