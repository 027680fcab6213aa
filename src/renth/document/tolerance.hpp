// What becomes of a setting in production, as a document and in print.
#pragma once
#include <renth/document/json.hpp>
#include <renth/workflow/tolerancing.hpp>
#include <string>

namespace renth {

Json to_document(const Study& study, const ToleranceAnswer& answer);
std::string to_table(const Study& study, const ToleranceAnswer& answer);

}  // namespace renth
