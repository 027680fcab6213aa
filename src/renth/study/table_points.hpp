// Points in a table of settings.
#pragma once
#include <renth/study/study.hpp>
#include <renth/table/table_file.hpp>
#include <string>

namespace renth {

/// The rows of a table as points (m × d). Columns are parameters, also with their unit, `radius (m)`, or with
/// a row of units under the titles; parameters without a column are nominal. \param complete  then every
/// varying parameter needs a column, and other columns are passed over. \throws Error  a missing column; an
/// unknown name; a unit that is not the study's; as Problem::point(), with the line.
Eigen::MatrixXd points_in_table(const Problem& problem, const std::string& file, bool complete);

}  // namespace renth
