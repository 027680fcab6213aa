// The file in a run's folder that says which run it is, should the store be lost.
#pragma once
#include <optional>
#include <renth/solver/render.hpp>
#include <renth/store/store.hpp>

namespace renth {

/// \param maker  what computes it, as Makers::today().
RenderedFile identity_of(const Run& run, const std::string& maker);

/// The run `id` and its maker as a folder's file says; nothing if there is none, or it is of another run.
struct IdentifiedRun {
  Run run;  ///< its number, batch, use, origin, block and settings
  std::string maker;
};
std::optional<IdentifiedRun> read_identity(const std::filesystem::path& folder, std::int64_t id);

/// A JSON object in a file of a run's folder; an empty one if it is not there, or is something else.
nlohmann::json object_in(const std::filesystem::path& file);

}  // namespace renth
