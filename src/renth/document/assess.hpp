// Plans judged, as JSON and as tables.
#pragma once
#include <renth/document/json.hpp>
#include <renth/workflow/assessing.hpp>
#include <string>

namespace renth {

Json to_document(const Study& study, const AssessResult& result);
std::string to_table(const Study& study, const AssessResult& result);

}  // namespace renth
