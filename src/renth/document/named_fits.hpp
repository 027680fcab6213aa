// Fits that are kept by name, as JSON and as a table.
#pragma once
#include <renth/document/json.hpp>
#include <renth/workflow/named_fits.hpp>
#include <string>

namespace renth {

Json to_document(const Study& study, const NamedFitsResult& result);
std::string to_table(const Study& study, const NamedFitsResult& result);

}  // namespace renth
