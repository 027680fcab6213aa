// What study.db consists of, version by version.
#pragma once
#include <renth/store/database.hpp>

namespace renth {

/// Brings a store to this version, step by step, all of it or nothing. \throws Error (machine)  it was made
/// by a newer renth.
void migrate(Database& store);

/// Gives every row of a store the checksum of what it holds now.
void seal_every_row(Database& store);

}  // namespace renth
