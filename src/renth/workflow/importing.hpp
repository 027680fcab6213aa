// Tables of runs: out of a study, filled in elsewhere, and back.
#pragma once
#include <renth/workflow/session.hpp>

namespace renth {

/// The runs as CSV: id, batch, use, origin, block, status, one column a parameter and a response (a curve has
/// one an axis point, name[5]), set_aside. Full precision: import reads it back bit for bit.
std::string export_runs(const Study& study, const std::vector<Run>& runs);

struct ImportOptions {
  std::map<std::string, std::string> map;  ///< column in the file → name in the study
  std::string batch, use = "fit";          ///< of rows that match no planned run
};

struct ImportResult {
  std::string batch;  ///< where new runs went; empty: nowhere
  int filled = 0;     ///< planned runs that got their responses
  int added = 0, planned = 0, unchanged = 0;
  std::vector<std::string> ignored_columns;
  Notes notes;
};

/// Rows are matched to planned runs by the column id, else by their settings (to 1e-9 of a span); the
/// rest become new runs with origin `imported`. A run that has some responses takes those it lacks. A blank
/// response is missing; all blank means planned. All or nothing.
///
/// \throws Error  every refused row with its line and reason: a value between levels, an unknown choice,
///         no number, a run that has other responses already.
ImportResult import_table(Session& session, const std::string& file, const ImportOptions& options);

/// Makes a study folder from a table: spans from smallest and largest, levels from few whole numbers,
/// choices from texts, constants as fixed. Returns what was guessed, a line a column.
/// \throws Error  the folder has a study already; unknown responses.
std::vector<std::string> study_from_table(const std::filesystem::path& folder, const std::string& file,
                                          const std::vector<std::string>& responses);

/// Makes a study folder with a short study to be replaced by one's own.
void make_starter_study(const std::filesystem::path& folder);

/// Makes a study folder with the demonstration study `buoy` or `tank`.
void make_demo_study(const std::filesystem::path& folder, const std::string& which);

}  // namespace renth
