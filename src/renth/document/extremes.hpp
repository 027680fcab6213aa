// Smallest and largest values, as JSON and as a table.
#pragma once
#include <renth/document/json.hpp>
#include <renth/workflow/extremes.hpp>
#include <string>

namespace renth {

Json to_document(const Study& study, const ExtremesResult& result);
std::string to_table(const Study& study, const ExtremesResult& result);

}  // namespace renth
