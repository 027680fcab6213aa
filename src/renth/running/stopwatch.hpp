// Time that passes, for loops that wait.
#pragma once
#include <chrono>

namespace renth {

using Clock = std::chrono::steady_clock;

inline double seconds_since(Clock::time_point then) {
  return std::chrono::duration<double>(Clock::now() - then).count();
}
inline Clock::duration as_duration(double seconds) {
  return std::chrono::duration_cast<Clock::duration>(std::chrono::duration<double>(seconds));
}

}  // namespace renth
