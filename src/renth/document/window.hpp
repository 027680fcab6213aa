// The operating window, as a document and in print.
#pragma once
#include <renth/document/json.hpp>
#include <renth/workflow/windowing.hpp>
#include <string>

namespace renth {

Json to_document(const Study& study, const WindowAnswer& answer);
std::string to_table(const Study& study, const WindowAnswer& answer);

/// The sample as CSV: settings, then 1 for in specification and 0 for out.
std::string window_sample_csv(const Study& study, const WindowAnswer& answer);

}  // namespace renth
