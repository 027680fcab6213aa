// Predicted against computed, as JSON and as tables.
#pragma once
#include <renth/document/json.hpp>
#include <renth/workflow/confirming.hpp>
#include <string>

namespace renth {

Json to_document(const Study& study, const ConfirmResult& result);
std::string to_table(const Study& study, const ConfirmResult& result);

}  // namespace renth
