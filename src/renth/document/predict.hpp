// Predictions, as JSON and as tables.
#pragma once
#include <renth/document/json.hpp>
#include <renth/workflow/predicting.hpp>
#include <string>

namespace renth {

Json to_document(const Study& study, const PredictResult& result);
std::string to_table(const Study& study, const PredictResult& result);

}  // namespace renth
