// What the store keeps of how a surrogate was chosen, as JSON and back.
#pragma once
#include <nlohmann/json.hpp>
#include <renth/selection/choose.hpp>
#include <vector>

namespace renth {

nlohmann::json tried_to(const std::vector<Tried>& tried);
std::vector<Tried> tried_from(const nlohmann::json& list);

nlohmann::json selection_to(const TermSelection& selection);
/// \param options  of the stored surrogate; without a selection there is none.
TermSelection selection_from(const nlohmann::json& options);

}  // namespace renth
