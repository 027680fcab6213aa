// Marks, as JSON and as a table.
#pragma once
#include <renth/document/json.hpp>
#include <renth/workflow/named_settings.hpp>
#include <string>

namespace renth {

Json to_document(const Study& study, const MarkResult& result);
std::string to_table(const Study& study, const MarkResult& result);

}  // namespace renth
