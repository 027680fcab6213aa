// What was exported, as JSON and as a table.
#pragma once
#include <renth/document/json.hpp>
#include <renth/workflow/exporting_model.hpp>
#include <string>

namespace renth {

Json to_document(const Study& study, const ModelExport& result);
std::string to_table(const Study& study, const ModelExport& result);

}  // namespace renth
