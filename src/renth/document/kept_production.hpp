// The tables of what tolerance and window found, and shares in words.
#pragma once
#include <renth/document/kept_figures.hpp>
#include <renth/document/table_forms.hpp>
#include <string>
#include <vector>

namespace renth {

/// "84.1 %"; "–" where it is undefined.
std::string share_text(double share);
/// "39.1 … 51.5 %".
std::string share_range(double low, double high);

std::vector<NamedTable> tables_of_tolerance(const Study& study, const Kept& document);
std::vector<NamedTable> tables_of_window(const Study& study, const Kept& document);

}  // namespace renth
