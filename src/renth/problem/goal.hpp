// What is wanted of one response.
#pragma once
#include <limits>
#include <renth/base/words.hpp>

namespace renth {

struct Goal {
  enum class Aim { maximise, minimise, target };
  int response = 0;  ///< its number
  Aim aim = Aim::maximise;
  double target = 0;
  double weight = 1;
  /// Specification limits; where one is missing, desirability begins at the extreme over the region.
  double accept_min = -std::numeric_limits<double>::infinity();
  double accept_max = std::numeric_limits<double>::infinity();
};

inline constexpr EnumWords<Goal::Aim, 3> aim_words{"aim", {"maximise", "minimise", "target"}};

}  // namespace renth
