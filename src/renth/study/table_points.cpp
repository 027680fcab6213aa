#include <fmt/format.h>

#include <algorithm>
#include <renth/study/table_points.hpp>
#include <renth/table/units.hpp>

namespace renth {

namespace {

/// The parameter or fixed value that a column is of, its unit checked; the title itself if it is none.
std::string named(const Problem& problem, const std::string& title, const std::string& file) {
  const auto unit_of = [&](const std::string& name) -> std::optional<std::string> {
    if (const auto p = problem.space.find(name)) return problem.space[*p].unit;
    for (const FixedParameter& f : problem.fixed)
      if (f.name == name) return f.unit;
    return std::nullopt;
  };
  if (unit_of(title)) return title;
  const auto [name, unit] = name_and_unit(title);
  const auto own = unit_of(name);
  if (!own) return title;
  check_unit(name, unit, *own, fmt::format("{}: column {}", file, title),
             ", or take the unit out of the title");
  return name;
}

/// Takes a row of units off the table, and checks them.
void take_units(const Problem& problem, const std::vector<std::string>& names, const std::string& file,
                TableFile& table) {
  std::vector<std::size_t> numbers;
  for (std::size_t c = 0; c < names.size(); ++c)
    if (const auto p = problem.space.find(names[c]); p && !problem.space[*p].is_choice())
      numbers.push_back(c);
  if (!has_units_row(table, numbers)) return;
  const std::vector<std::string> units = take_units_row(table);
  for (const std::size_t c : numbers)
    check_unit(names[c], units[c], problem.space[*problem.space.find(names[c])].unit,
               fmt::format("{}: column {}", file, table.header[c]), ", or leave the row of units out");
}

}  // namespace

Eigen::MatrixXd points_in_table(const Problem& problem, const std::string& file, bool complete) {
  TableFile table = read_table(file);
  std::vector<std::string> names;
  for (const std::string& title : table.header) {
    names.push_back(named(problem, title, file));
    if (std::count(names.begin(), names.end(), names.back()) > 1)
      throw Error("two columns mean " + names.back(), file, "leave one out");
  }
  for (const Parameter& p : problem.space.parameters())
    if (complete && std::find(names.begin(), names.end(), p.name) == names.end())
      throw Error("there is no column " + p.name, file, "give the candidates a column for each parameter");
  take_units(problem, names, file, table);
  Eigen::MatrixXd out(Eigen::Index(table.rows.size()), problem.space.size());
  for (std::size_t i = 0; i < table.rows.size(); ++i) {
    Settings settings;
    for (std::size_t c = 0; c < names.size(); ++c) {
      const auto parameter = problem.space.find(names[c]);
      if (complete && !parameter) continue;
      const std::string& cell = table.rows[i].cells[c];
      const auto number = cell_number(cell);
      const bool choice = parameter && problem.space[*parameter].is_choice();
      settings[names[c]] = number && !choice ? Value(*number) : Value(cell);
    }
    out.row(Eigen::Index(i)) = problem.point(settings, fmt::format("{}:{}", file, table.rows[i].line));
  }
  return out;
}

}  // namespace renth
