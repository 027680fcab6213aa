// Which parameters are hard to set anew.
#pragma once
#include <renth/space/space.hpp>

namespace renth {

/// Their places, ascending; empty: none is.
inline std::vector<Eigen::Index> hard_parameters(const Space& space) {
  std::vector<Eigen::Index> out;
  for (Eigen::Index j = 0; j < space.size(); ++j)
    if (space[j].hard) out.push_back(j);
  return out;
}

}  // namespace renth
