// A new study from one that has been worked on: narrower, with its runs.
#pragma once
#include <filesystem>
#include <renth/store/session.hpp>
#include <string>
#include <vector>

namespace renth {

/// What was made of it.
struct NarrowedStudy {
  std::vector<std::string> fixed;      ///< names of the parameters that vary no more
  std::vector<std::string> narrowed;   ///< those whose ends came closer
  std::vector<std::string> undecided;  ///< those that might go too
  int runs = 0;                        ///< that came along
  Notes notes;
};

/// Makes a study folder in which the parameters that matter to no response at this share of the variance,
/// certainly (see screen_parameters()), are fixed at their nominal value. The study file keeps its text but
/// for them, other files of the folder are copied, and every run comes along with its number, as if it had
/// been made with the fixed values: what those parameters did is scatter from now on.
///
/// \throws Error  nothing may certainly be fixed, or everything; no response has a surrogate; there is a
/// study
///                already; the file names a fixed parameter where only one that varies may stand.
NarrowedStudy screened_study(const std::filesystem::path& folder, const std::filesystem::path& from,
                             double threshold);

/// Makes a study folder of a kept window (see kept_window()), or of the box that the last seek found as good
/// as the best: the study file keeps its text but for the ends of the spans, the levels and sizes that are
/// left and nominal values that lay outside; what has one value left is fixed. Every run comes along as it
/// was made: those outside are kept and fitted still.
///
/// \throws Error  there is no such window; the last seek found no region; there is a study already.
NarrowedStudy window_study(const std::filesystem::path& folder, const std::filesystem::path& from,
                           const std::string& window);
NarrowedStudy near_best_study(const std::filesystem::path& folder, const std::filesystem::path& from);

/// The text of a study file with some parameters fixed: of each the lines of its name, label and unit stay,
/// and the others become one. \param values  of each name, as TOML writes it. \throws Error  a parameter is
/// not written as [[parameter]].
std::string with_fixed(const std::string& text, const std::map<std::string, std::string>& values,
                       const std::string& remark);

}  // namespace renth
