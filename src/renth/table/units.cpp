#include <fmt/format.h>

#include <algorithm>
#include <renth/base/error.hpp>
#include <renth/table/units.hpp>

namespace renth {

std::pair<std::string, std::string> name_and_unit(const std::string& title) {
  const std::size_t open = title.find_last_of("([");
  if (open == std::string::npos || open == 0 || title.back() != (title[open] == '(' ? ')' : ']'))
    return {title, ""};
  std::string name = title.substr(0, open);
  while (!name.empty() && name.back() == ' ') name.pop_back();
  return {name, title.substr(open + 1, title.size() - open - 2)};
}

bool has_units_row(const TableFile& table, const std::vector<std::size_t>& number_columns) {
  if (table.rows.empty()) return false;
  const std::vector<std::string>& cells = table.rows.front().cells;
  return std::none_of(number_columns.begin(), number_columns.end(),
                      [&](std::size_t c) { return cell_number(cells[c]).has_value(); }) &&
         std::any_of(number_columns.begin(), number_columns.end(),
                     [&](std::size_t c) { return !is_missing(cells[c]); });
}

std::vector<std::string> take_units_row(TableFile& table) {
  std::vector<std::string> out = std::move(table.rows.front().cells);
  table.rows.erase(table.rows.begin());
  for (std::string& unit : out) {
    const auto within = [&](char open, char close) {
      return unit.size() >= 2 && unit.front() == open && unit.back() == close;
    };
    if (within('(', ')') || within('[', ']')) unit = unit.substr(1, unit.size() - 2);
    if (is_missing(unit)) unit.clear();
  }
  return out;
}

void check_unit(const std::string& name, const std::string& unit, const std::string& own,
                const std::string& place, const std::string& remedy) {
  if (unit.empty() || own.empty() || unit == own) return;
  throw Error(fmt::format("{} is in {} in the file and in {} in the study", name, unit, own), place,
              "convert it" + remedy);
}

}  // namespace renth
