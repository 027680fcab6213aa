// What running came to or would do, as JSON and as tables.
#pragma once
#include <renth/document/json.hpp>
#include <renth/workflow/running.hpp>
#include <string>

namespace renth {

Json to_document(const Study& study, const RunSummary& result);
std::string to_table(const Study& study, const RunSummary& result);

Json to_document(const Study& study, const DryRun& result);
std::string to_table(const Study& study, const DryRun& result);

}  // namespace renth
