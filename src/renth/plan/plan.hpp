// What every design family returns.
#pragma once
#include <Eigen/Core>
#include <map>
#include <renth/numeric/random.hpp>
#include <renth/space/space.hpp>
#include <string>
#include <vector>

namespace renth {

/// Points to run, and the recipe that made them.
struct Plan {
  Eigen::MatrixXd points;            ///< n × d, natural units, all of them settable and allowed
  std::vector<std::string> origins;  ///< n: corner, axial, centre, edge, fill, …
  Eigen::VectorXi blocks;            ///< n block numbers from 0
  std::string method;
  std::map<std::string, std::string> options;  ///< as text, enough to make it again
  Seed seed = 0;
  std::uint64_t next = 0;          ///< position after the last point in an endless sequence
  std::vector<std::string> notes;  ///< what the analyst should know

  Eigen::Index size() const { return points.rows(); }
};

/// A plan with these points, one origin, one block.
Plan make_plan(Eigen::MatrixXd points, std::string origin, std::string method, Seed seed);

/// A sensible number of runs: ten a parameter, which is where the error of a kriging surrogate has
/// usually settled (J. L. Loeppky, J. Sacks, W. J. Welch, Technometrics 51, 2009), or half as many
/// again as a full quadratic has terms, whichever is more. A choice counts its contrasts.
int suggested_runs(const Space& space);

}  // namespace renth
