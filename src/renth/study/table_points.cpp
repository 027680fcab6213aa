#include <fmt/format.h>

#include <renth/study/table_points.hpp>

namespace renth {

Eigen::MatrixXd points_in_table(const Problem& problem, const std::string& file, bool complete) {
  const TableFile table = read_table(file);
  for (const Parameter& p : problem.space.parameters())
    if (complete && !table.column(p.name))
      throw Error("there is no column " + p.name, file, "give the candidates a column for each parameter");
  Eigen::MatrixXd out(Eigen::Index(table.rows.size()), problem.space.size());
  for (std::size_t i = 0; i < table.rows.size(); ++i) {
    Settings settings;
    for (std::size_t c = 0; c < table.header.size(); ++c) {
      const auto parameter = problem.space.find(table.header[c]);
      if (complete && !parameter) continue;
      const std::string& cell = table.rows[i].cells[c];
      const auto number = cell_number(cell);
      const bool choice = parameter && problem.space[*parameter].is_choice();
      settings[table.header[c]] = number && !choice ? Value(*number) : Value(cell);
    }
    out.row(Eigen::Index(i)) = problem.point(settings, fmt::format("{}:{}", file, table.rows[i].line));
  }
  return out;
}

}  // namespace renth
