// Tables of runs: out of a study, filled in elsewhere, and back.
#pragma once
#include <renth/store/session.hpp>
#include <renth/table/sheets.hpp>

namespace renth {

/// The runs as CSV: id, batch, use, origin, block, status, one column a parameter and a response (a curve has
/// one an axis point, name[5]), set_aside, responses_set_aside, message, seconds. Full precision: import
/// reads it back bit for bit.
std::string export_runs(const Study& study, const std::vector<Run>& runs);
/// The same as sheets, one a use of batches, with units in their headers.
std::vector<SheetToWrite> sheets_of_runs(const Study& study, const std::vector<Run>& runs);

struct ImportOptions {
  std::map<std::string, std::string> map;  ///< column in the file → name in the study
  std::string batch, use;                  ///< of rows that match no run; empty: as the file says, else fit
  std::string sheet;                       ///< of a spreadsheet; empty: the first
  /// How far a row may be from a planned run to be that run, in spans. Not given: 1e-6 or as the settings are
  /// shown in tables, and a row that is farther but within 0.005, as settings that were rounded more are, is
  /// refused so that you decide.
  std::optional<double> tolerance;
  bool partial = false;       ///< import the good rows though others are refused
  bool ignore_units = false;  ///< take values as they are, whatever unit the file names
  bool repeats = false;       ///< a table whose runs are all there already is of repeats, not the same again
};

struct ImportResult {
  std::vector<std::string> batches;  ///< where new runs went
  int filled = 0;                    ///< runs that got their responses
  int added = 0, planned = 0, unchanged = 0;
  std::vector<std::pair<int, std::string>> refused;  ///< line and reason; only with `partial`
  Notes notes;
};

/// Reads a table (see parse_table) or the JSON of `runs`. Rows are matched to runs by the column id, else to
/// planned runs by their settings within the tolerance, the nearest first; the rest become new runs: of the
/// batch, use, origin and block that the file names (an export), else with origin `imported` in a batch of
/// their own. A run that has some responses takes those it lacks. A blank response (or NA, NaN, null, –, …)
/// is missing; all blank means planned. A second header row with units is understood. All or nothing unless
/// `partial`. A table without ids whose every row equals a run that is there, in settings and responses, is
/// the same table again: nothing is added, and a note says so (unless `repeats`).
///
/// \throws Error  every refused row with its line and reason: a value between levels, an unknown choice,
///         no number, a run that has other responses already, a run that is being computed. A column whose
///         unit is not the study's.
ImportResult import_table(Session& session, const std::string& file, const ImportOptions& options);

/// Makes a study folder from a table: spans from smallest and largest (of a composite or Box–Behnken plan
/// from its corners or edges), levels from few whole numbers, choices from texts, constants as fixed. Returns
/// what was guessed, a line a column. \throws Error  the folder has a study already; unknown responses.
std::vector<std::string> study_from_table(const std::filesystem::path& folder, const std::string& file,
                                          const std::vector<std::string>& responses);

/// Makes a study folder with a short study to be replaced by one's own.
void make_starter_study(const std::filesystem::path& folder);

/// Makes a study folder with the demonstration study `buoy` or `tank`.
void make_demo_study(const std::filesystem::path& folder, const std::string& which);

}  // namespace renth
