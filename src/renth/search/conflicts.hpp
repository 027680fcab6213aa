// Why nothing holds everything.
#pragma once
#include <renth/search/seek.hpp>

namespace renth {

/// A smallest set of limits that cannot hold together: without any one of them the rest can.
struct Conflict {
  struct Give {
    std::string limit;  ///< as it was written
    double by = 0;      ///< how far it would have to give alone, the others kept; in the unit of its margin
  };
  std::vector<Give> limits;
};

/// The conflicts among constraints and limits between parameters, smallest first, at most `most`; none if
/// everything can hold. Sets that no point of a sample holds together are searched for one that does; what is
/// not found is taken not to exist.
std::vector<Conflict> conflicts(const SeekProblem& problem, const MaximiseOptions& options, Seed seed,
                                int most = 5);

}  // namespace renth
