// What an import did, as JSON and in words.
#pragma once
#include <renth/document/json.hpp>
#include <renth/workflow/importing.hpp>
#include <string>

namespace renth {

Json to_document(const Study& study, const ImportResult& result);
std::string to_table(const Study& study, const ImportResult& result);

}  // namespace renth
