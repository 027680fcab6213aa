// What every row of the store is sealed with, so that a damaged one is refused and not believed.
#pragma once
#include <cstdint>
#include <string_view>

struct sqlite3;

namespace renth {

/// A sum over values one after another: FNV-1a over their kinds, lengths and bytes (as hash64()).
class Checksum {
 public:
  Checksum& add(std::int64_t value);
  Checksum& add(std::string_view bytes);
  Checksum& add_null();
  std::int64_t value() const;

 private:
  void take(const void* bytes, std::size_t size);
  std::uint64_t state_ = 14695981039346656037ULL;
};

/// Makes two functions known to a connection:
///   renth_checksum(a, b, …)      the sum of values
///   renth_sound(what, sum, a, …) 1 if the sum is that of the values; else an error that names `what`, and
///                                `*damaged` becomes true
void add_checksum_functions(sqlite3* connection, bool* damaged);

}  // namespace renth
