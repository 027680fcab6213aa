// From a classical design in coded units to a plan.
#pragma once
#include <renth/numeric/random.hpp>
#include <renth/plan/plan.hpp>

namespace renth {

/// Runs of a classical design: −1, 0, +1 or an axial distance in each of d columns, in standard order.
struct CodedRuns {
  Eigen::MatrixXd coded;             ///< n × d
  std::vector<std::string> origins;  ///< n
  Eigen::VectorXi blocks;            ///< n, from 0; empty: one block
};

/// The plan in natural units. A choice of two takes −1 and +1, of three −1, 0 and +1, in study order; a
/// value between two that can be set goes to the nearer one, and a note says where that spoils the design.
/// Random order is within blocks, and blocks follow one another.
/// \throws Error  a limit forbids a run (the message counts them and names one); a run outside the span of
///                a parameter whose values are a list.
Plan from_coded(const Space& space, const CodedRuns& runs, const std::string& method, bool random_order,
                Seed seed);

/// \throws Error  unless every parameter has at least `levels` settable values, and choices exactly 2
///                (3 too if `choices_of_three`). `where` names the method.
void need_levels(const Space& space, int levels, bool choices_of_three, const std::string& where,
                 const std::string& remedy);

/// n further runs at the middle, origin `centre`, in the given block.
void add_centre(CodedRuns& runs, int count, int block);

}  // namespace renth
