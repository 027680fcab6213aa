// How far surrogates can be believed, as JSON and as tables.
#pragma once
#include <renth/document/json.hpp>
#include <renth/workflow/trusting.hpp>
#include <string>

namespace renth {

Json to_document(const Study& study, const TrustResult& result);
std::string to_table(const Study& study, const TrustResult& result);
/// Its residuals.
std::size_t document_rows(const TrustResult& result);

}  // namespace renth
