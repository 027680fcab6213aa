// A plan, as JSON and as tables.
#pragma once
#include <renth/document/json.hpp>
#include <renth/workflow/planning.hpp>
#include <string>

namespace renth {

Json to_document(const Study& study, const PlanResult& result);
std::string to_table(const Study& study, const PlanResult& result);

}  // namespace renth
