// Calls that are to be made again, each after a pause.
#pragma once
#include <algorithm>
#include <renth/running/stopwatch.hpp>
#include <renth/solver/render.hpp>
#include <utility>
#include <vector>

namespace renth {

class CallsForLater {
 public:
  void add(Call call, double seconds = 0) { calls_.emplace_back(Clock::now() + as_duration(seconds), call); }

  bool empty() const { return calls_.empty(); }
  bool any_due() const {
    return std::any_of(calls_.begin(), calls_.end(), [](const auto& c) { return c.first <= Clock::now(); });
  }
  /// Seconds until the first is due, at most `most`.
  double seconds_left(double most) const {
    for (const auto& [when, call] : calls_) most = std::min(most, -seconds_since(when));
    return most;
  }
  /// Takes out what is due, at most so many, in the order in which they came.
  std::vector<Call> take_due(std::size_t most) {
    std::vector<Call> out;
    for (auto it = calls_.begin(); it != calls_.end() && out.size() < most;)
      if (it->first <= Clock::now()) {
        out.push_back(it->second);
        it = calls_.erase(it);
      } else {
        ++it;
      }
    return out;
  }
  std::vector<Call> take_all() {
    std::vector<Call> out;
    for (const auto& [when, call] : std::exchange(calls_, {})) out.push_back(call);
    return out;
  }

 private:
  std::vector<std::pair<Clock::time_point, Call>> calls_;
};

}  // namespace renth
