// What the last seek found, for pictures.
#pragma once
#include <map>
#include <optional>
#include <renth/workflow/seeking.hpp>
#include <string>
#include <vector>

namespace renth {

struct KeptFront {
  std::vector<Goal> goals;
  Eigen::MatrixXd points;      ///< n × d
  Eigen::MatrixXd means, sds;  ///< n × goals
  std::vector<char> knee;      ///< n
  bool up_to_date = true;      ///< nothing has changed since
};

/// The region as good as the best, as far as it is a box.
struct KeptNearBest {
  Settings best;
  /// By parameter: low and high of a number alone, and all together; none of choices.
  std::map<std::string, std::pair<double, double>> alone, box;
};
/// Nothing if the last seek found none, or something has changed since.
std::optional<KeptNearBest> kept_near_best(Session& session);

/// The rounds of the last seek --refine, without their settings; empty: it was none.
std::vector<SeekRound> kept_history(Session& session);

/// \throws Error  the last seek found no front, or one that no longer fits the study.
KeptFront kept_front(Session& session);

}  // namespace renth
