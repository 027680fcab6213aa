// Loops that may run on several threads, and their serial form.
#pragma once
#include <cstdint>
#include <functional>

namespace renth {

/// Calls body(0) … body(count − 1), each once. Bodies write to their own slots; whoever adds slots up does so
/// in order afterwards, so that results are the same whichever loop is taken.
using Loop = std::function<void(std::int64_t count, const std::function<void(std::int64_t)>& body)>;

/// One after another, on the thread of the caller. parallel_for() (renth/numeric/parallel.hpp) is the other.
inline void serial_for(std::int64_t count, const std::function<void(std::int64_t)>& body) {
  for (std::int64_t i = 0; i < count; ++i) body(i);
}

}  // namespace renth
