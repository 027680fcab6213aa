// What refining came to, as JSON and as a table.
#pragma once
#include <renth/document/json.hpp>
#include <renth/workflow/refining.hpp>
#include <string>

namespace renth {

Json to_document(const Study& study, const RefineResult& result);
std::string to_table(const Study& study, const RefineResult& result);

}  // namespace renth
