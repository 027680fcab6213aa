// Proposals, as JSON and as tables.
#pragma once
#include <renth/document/json.hpp>
#include <renth/workflow/seeking.hpp>
#include <string>

namespace renth {

Json to_document(const Study& study, const SeekAnswer& result);
std::string to_table(const Study& study, const SeekAnswer& result);

}  // namespace renth
