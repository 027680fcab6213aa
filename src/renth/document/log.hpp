// The commands of a study, as JSON and as a table.
#pragma once
#include <renth/document/json.hpp>
#include <renth/workflow/logging.hpp>
#include <string>

namespace renth {

Json to_document(const Study& study, const LogResult& result);
std::string to_table(const Study& study, const LogResult& result);

}  // namespace renth
