// How runs are computed: what [solver] in study.toml says.
#pragma once
#include <algorithm>
#include <cstdint>
#include <iterator>
#include <map>
#include <memory>
#include <renth/expression/expression.hpp>
#include <string>
#include <string_view>
#include <vector>

namespace renth {

/// Where one response stands in what a solver wrote.
struct OutputSource {
  enum class Form {
    json,     ///< `what` is a pointer (RFC 6901)
    csv,      ///< `what` is a column's title
    table,    ///< columns set apart by blanks; `what` is a number from 1, or a title
    pattern,  ///< `what` is a regular expression with one group, or two for a curve: (axis) (value)
    number    ///< the file holds one number and nothing else
  } form = Form::json;
  std::string what;
  /// File in the run's folder; empty: the run's output file, or if there is none what it printed.
  std::string file;
  /// Curves: where the axis values stand, as `what`. The curve is interpolated linearly onto the axis's
  /// points. Empty: the values are those at the axis's points, in order.
  std::string over;
  /// Which row (csv, table) or match (pattern) counts for a number.
  enum class Take { last, first, max, min, mean, row, at } take = Take::last;
  int row = 0;            ///< from 1; negative: from the end
  std::string at_column;  ///< `at`: interpolated where this column …
  double at_value = 0;    ///< … has this value
  int skip = 0;           ///< lines before the table begins
};

/// A file put into each run's folder.
struct InputFile {
  std::string from;   ///< in the study's folder; empty: the settings as JSON
  std::string to;     ///< name in the run's folder
  bool link = false;  ///< a symbolic link to the study's file, not filled in
};

struct SlurmSpec {
  int chunk = 1;                     ///< calls of the solver a task
  std::string partition;             ///< empty: the cluster's default
  std::string time;                  ///< of a task, as sbatch takes it; empty: the partition's default
  std::vector<std::string> options;  ///< further words for sbatch
};

/// Files that a run's folder always has: what the solver prints, how it ended, and what the run is.
inline constexpr std::string_view run_identity_file = "renth-run.json";
inline constexpr std::string_view kept_in_run_folder[] = {"stdout", "stderr", "outcome", run_identity_file};
inline bool is_kept_by_us(std::string_view file) {
  return std::find(std::begin(kept_in_run_folder), std::end(kept_in_run_folder), file) !=
         std::end(kept_in_run_folder);
}

/// Calls of a solver at once, at most: each is a process.
inline constexpr int most_jobs = 4096;

/// Calls `use` with where each {word} of a command's word begins and how long it is, braces included.
template <class Use>
void each_placeholder(std::string_view word, const Use& use) {
  for (std::size_t open = 0; (open = word.find('{', open)) != std::string_view::npos; ++open) {
    const std::size_t close = word.find_first_not_of("abcdefghijklmnopqrstuvwxyz_", open + 1);
    if (close != std::string_view::npos && word[close] == '}') use(open, close - open + 1);
  }
}

/// How runs are computed.
struct SolverSpec {
  enum class Kind { process, formula, manual, slurm } kind = Kind::manual;
  std::vector<std::string> command;
  std::vector<InputFile> inputs = {{"", "input.json", false}};        ///< the first is {input}
  std::string output_file = "output.json";                            ///< {output}
  std::map<std::string, OutputSource> sources;                        ///< one a response that is not derived
  std::map<std::string, std::string> environment;                     ///< added to what is inherited
  std::map<std::string, std::shared_ptr<const Expression>> formulas;  ///< over parameters
  int per = -1;                                                       ///< axis of "one call an axis point"
  bool repeatable = true;
  double timeout = 0;           ///< seconds a call; 0: none
  std::uint64_t memory = 0;     ///< bytes a process of the solver; 0: no limit
  std::uint64_t file_size = 0;  ///< bytes a file that the solver writes; 0: no limit
  int retries = 0;
  double retry_pause = 0;  ///< seconds before a retry
  int jobs = 1;
  bool jobs_given = false;  ///< on a cluster, jobs is a limit only if it was given
  SlurmSpec slurm;
  /// Of a manual study: the name of the caller's function that computes it now; it stands for its values as a
  /// hash of a solver's inputs does. Empty: none.
  std::string function;
};

}  // namespace renth
