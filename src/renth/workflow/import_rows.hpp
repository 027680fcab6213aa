// A file of runs as rows of the study: columns matched, texts read, each row good or refused.
#pragma once
#include <renth/table/table_file.hpp>
#include <renth/workflow/importing.hpp>
#include <set>

namespace renth {

struct ImportRow {
  int line = 0;
  std::optional<std::int64_t> id;
  Settings settings;
  Outputs outputs;
  std::string batch, use, origin, aside, message;
  std::map<std::string, std::string> response_aside;
  int block = 0;
  bool failed = false;
  double seconds = 0;
};

struct ImportRows {
  std::vector<ImportRow> rows;
  std::vector<std::pair<int, std::string>> refused;  ///< line and reason
  Notes notes;
};

/// Columns that tell what a run is, and are no data of it.
extern const std::set<std::string> bookkeeping;

/// The column of one axis point of a curve: absorbed[5].
std::string axis_column(const Response& response, double point);

/// \throws Error  what concerns the whole file: no column for a parameter, a name mapped to nothing, a unit
/// that is
///         not the study's.
ImportRows read_import_rows(const Study& study, const std::string& file, const ImportOptions& options);

}  // namespace renth
