// The table of surrogate kinds that predict.
#pragma once
#include <renth/surrogate/surrogate.hpp>
#include <string>
#include <vector>

namespace renth {

/// What a fit came to, in a few words: a kernel, a degree, the runs of a local fit; empty if there is nothing
/// to say.
std::string describe_fit(const Surrogate& surrogate);

/// Reads back what Surrogate::save wrote. \throws Error  unknown kind or layout.
std::unique_ptr<const Surrogate> load_surrogate(const Archive& archive);

/// Is it a kriging, or is one part of it?
bool holds_kriging(const Surrogate& surrogate);

/// Surrogates that are part of another.
void save_members(ArchiveWriter& out, const std::vector<std::shared_ptr<const Surrogate>>& members);
std::vector<std::shared_ptr<const Surrogate>> load_members(ArchiveReader& in);

}  // namespace renth
