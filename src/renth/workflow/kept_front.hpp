// The front that the last seek found.
#pragma once
#include <renth/store/session.hpp>
#include <vector>

namespace renth {

struct KeptFront {
  std::vector<Goal> goals;
  Eigen::MatrixXd points;      ///< n × d
  Eigen::MatrixXd means, sds;  ///< n × goals
  std::vector<char> knee;      ///< n
  bool up_to_date = true;      ///< nothing has changed since
};

/// \throws Error  the last seek found no front, or one that no longer fits the study.
KeptFront kept_front(Session& session);

}  // namespace renth
