// Fitted surrogates, as JSON and as tables.
#pragma once
#include <renth/document/json.hpp>
#include <renth/workflow/fitting.hpp>
#include <string>

namespace renth {

Json to_document(const Study& study, const FitResult& result);
std::string to_table(const Study& study, const FitResult& result);

}  // namespace renth
