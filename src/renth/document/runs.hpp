// The list of runs, as JSON and as a table.
#pragma once
#include <renth/document/json.hpp>
#include <renth/workflow/listing.hpp>
#include <string>

namespace renth {

Json to_document(const Study& study, const RunsResult& result);
std::string to_table(const Study& study, const RunsResult& result);

}  // namespace renth
