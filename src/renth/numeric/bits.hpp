// The bits of a value as those of another: std::bit_cast, which not every library has.
#pragma once
#include <cstring>
#include <type_traits>

namespace renth {

template <class To, class From>
To bits_as(const From& from) {
  static_assert(sizeof(To) == sizeof(From) && std::is_trivially_copyable_v<To> &&
                std::is_trivially_copyable_v<From>);
  To to;
  std::memcpy(&to, &from, sizeof(To));
  return to;
}

}  // namespace renth
