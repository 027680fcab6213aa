#include <fmt/format.h>

#include <algorithm>
#include <exception>
#include <renth/numeric/parallel.hpp>
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

namespace {

/// What the columns mean, a name each; a row of units is taken off. \throws Error  see points_in_table.
std::vector<std::string> names_of(const Problem& problem, const std::string& file, bool complete,
                                  TableFile& table) {
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
  return names;
}

Eigen::VectorXd point_in_row(const Problem& problem, const std::vector<std::string>& names,
                             const TableFile::Row& row, const std::string& file, bool complete) {
  Settings settings;
  for (std::size_t c = 0; c < names.size(); ++c) {
    const auto parameter = problem.space.find(names[c]);
    if (complete && !parameter) continue;
    const std::string& cell = row.cells[c];
    const auto number = cell_number(cell);
    const bool choice = parameter && problem.space[*parameter].is_choice();
    settings[names[c]] = number && !choice ? Value(*number) : Value(cell);
  }
  return problem.point(settings, fmt::format("{}:{}", file, row.line));
}

/// The points of some rows. \throws Error  of the first row that has one, on any number of threads.
Eigen::MatrixXd points_in_rows(const Problem& problem, const std::vector<std::string>& names,
                               const std::vector<TableFile::Row>& rows, const std::string& file,
                               bool complete) {
  constexpr std::size_t block = 1024;
  Eigen::MatrixXd out(Eigen::Index(rows.size()), problem.space.size());
  std::vector<std::exception_ptr> wrong((rows.size() + block - 1) / block);
  parallel_for(std::int64_t(wrong.size()), [&](std::int64_t b) {
    const std::size_t from = std::size_t(b) * block;
    try {
      for (std::size_t i = from; i < std::min(rows.size(), from + block); ++i)
        out.row(Eigen::Index(i)) = point_in_row(problem, names, rows[i], file, complete);
    } catch (...) {
      wrong[std::size_t(b)] = std::current_exception();
    }
  });
  for (const std::exception_ptr& e : wrong)
    if (e) std::rethrow_exception(e);
  return out;
}

}  // namespace

Eigen::MatrixXd points_in_table(const Problem& problem, const std::string& file, bool complete) {
  constexpr std::size_t rows = 32'768;
  std::vector<std::string> names;
  std::vector<Eigen::MatrixXd> parts;
  Eigen::Index count = 0;
  read_table_in_parts(file, rows, [&](TableFile& part) {
    if (names.empty()) names = names_of(problem, file, complete, part);
    parts.push_back(points_in_rows(problem, names, part.rows, file, complete));
    count += parts.back().rows();
  });
  if (parts.size() == 1) return std::move(parts.front());
  Eigen::MatrixXd out(count, problem.space.size());
  Eigen::Index at = 0;
  for (const Eigen::MatrixXd& part : parts) {
    out.middleRows(at, part.rows()) = part;
    at += part.rows();
  }
  return out;
}

}  // namespace renth
