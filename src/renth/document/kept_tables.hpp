// The tables of what verbs found, from their documents: for other forms, and for reports of what was found
// earlier.
#pragma once
#include <renth/document/json.hpp>
#include <renth/document/table_forms.hpp>
#include <renth/study/study.hpp>
#include <string>
#include <vector>

namespace renth {

/// \param document  as --json prints it of this verb. \returns  none of a verb without tables.
std::vector<NamedTable> tables_of(const Study& study, const std::string& verb,
                                  const nlohmann::json& document);

/// The same of a document that was just made; bytes that are no UTF-8 are replaced, as in print.
std::vector<NamedTable> tables_of(const Study& study, const std::string& verb, const Json& document);

/// The verbs that tables_of() knows.
const std::vector<std::string>& verbs_with_tables();

}  // namespace renth
