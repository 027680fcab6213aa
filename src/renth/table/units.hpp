// Units in tables: in the title of a column, or in a row of their own under the titles.
#pragma once
#include <renth/table/table_file.hpp>
#include <string>
#include <utility>
#include <vector>

namespace renth {

/// "radius (m)" and "radius [m]" as name and unit; without a unit the title and nothing.
std::pair<std::string, std::string> name_and_unit(const std::string& title);

/// Is the first row one of units: no number in any of these columns, which have numbers, and a text in one?
bool has_units_row(const TableFile& table, const std::vector<std::size_t>& number_columns);
/// Takes it off the table; a unit a column, without brackets, empty where there is none.
std::vector<std::string> take_units_row(TableFile& table);

/// \throws Error  both have a unit, and not the same.
/// \param own    of the study. \param remedy  follows "convert it".
void check_unit(const std::string& name, const std::string& unit, const std::string& own,
                const std::string& place, const std::string& remedy = "");

}  // namespace renth
