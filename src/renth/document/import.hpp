// What an import did, as JSON and in words.
#pragma once
#include <renth/document/json.hpp>
#include <renth/workflow/importing.hpp>
#include <renth/workflow/taking_in.hpp>
#include <string>

namespace renth {

Json to_document(const Study& study, const ImportResult& result);
std::string to_table(const Study& study, const ImportResult& result);

Json to_document(const Study& study, const TakeInResult& result);
std::string to_table(const Study& study, const TakeInResult& result);

}  // namespace renth
