// Where runs fail, and who ran what when, as JSON and as tables.
#pragma once
#include <renth/document/json.hpp>
#include <renth/workflow/failing.hpp>
#include <string>

namespace renth {

Json to_document(const Study& study, const JournalResult& result);
std::string to_table(const Study& study, const JournalResult& result);

Json to_document(const Study& study, const FailuresResult& result);
std::string to_table(const Study& study, const FailuresResult& result);

}  // namespace renth
