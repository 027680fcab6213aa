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

/// The text of a study file with some parameters fixed: of each the lines of its name, label and unit stay,
/// and the others become one. \param values  of each name, as TOML writes it. \throws Error  a parameter is
/// not written as [[parameter]].
std::string with_fixed(const std::string& text, const std::map<std::string, std::string>& values,
                       const std::string& remark);

}  // namespace renth
