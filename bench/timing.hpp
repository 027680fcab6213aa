// How long something takes.
#pragma once
#include <algorithm>
#include <chrono>
#include <functional>

namespace renth::bench {

/// Seconds of the fastest of some calls.
inline double fastest(int calls, const std::function<void()>& call) {
  double best = 1e300;
  for (int i = 0; i < calls; ++i) {
    const auto start = std::chrono::steady_clock::now();
    call();
    best = std::min(best, std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
  }
  return best;
}

}  // namespace renth::bench
