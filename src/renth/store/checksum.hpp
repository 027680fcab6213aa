// What every row of the store is sealed with, so that a damaged one is refused and not believed.
#pragma once
#include <cstdint>
#include <string_view>

struct sqlite3;

namespace renth {

/// Makes two functions known to a connection:
///   renth_checksum(a, b, …)      the sum over values one after another: hash64() of each, its kind and the
///   sum so far its seed renth_sound(what, sum, a, …) 1 if the sum is that of the values; else an error that
///   names `what`, and
///                                `*damaged` becomes true
void add_checksum_functions(sqlite3* connection, bool* damaged);

}  // namespace renth
