// What a study means and what its sources find, as JSON and as tables.
#pragma once
#include <renth/document/json.hpp>
#include <renth/workflow/checking.hpp>
#include <string>

namespace renth {

Json to_document(const Study& study, const CheckResult& result);
std::string to_table(const Study& study, const CheckResult& result);

Json to_document(const Study& study, const SampleCheck& result);
std::string to_table(const Study& study, const SampleCheck& result);

}  // namespace renth
