// study.toml: a problem, the folder it is in, and how runs are computed.
#pragma once
#include <filesystem>
#include <map>
#include <renth/base/error.hpp>
#include <renth/numeric/random.hpp>
#include <renth/problem/problem.hpp>
#include <renth/study/solver_spec.hpp>
#include <string>
#include <vector>

namespace renth {

/// One thing wrong with a study file.
struct StudyFault {
  int line = 0, column = 0;
  std::string key, text, remedy;
};

/// All that is wrong with a study file, found in one reading.
class StudyError : public Error {
 public:
  StudyError(std::string file, std::vector<StudyFault> faults);
  const std::vector<StudyFault>& faults() const { return faults_; }
  /// "file:line:column key" of one.
  std::string place_of(const StudyFault& fault) const;
  /// One message a fault: "what is wrong: file:line:column key: what to do".
  std::vector<std::string> lines() const;

 private:
  std::string file_;
  std::vector<StudyFault> faults_;
};

/// A study as understood; immutable.
struct Study : Problem {
  std::filesystem::path folder;
  std::string absolute_folder;
  Seed seed = 1;
  std::uint64_t text_hash = 0;          ///< of the file
  std::map<std::string, Value> before;  ///< of parameters added later: their value in older runs
  SolverSpec solver;

  /// The point at which a run was made. What the study no longer has is left out; what it has now and the run
  /// lacks is what it was `before`. \throws Error  a parameter without a value; as Problem::point().
  Eigen::VectorXd point_of_run(const Settings& settings, const std::string& place) const;
  /// The value that a varying parameter had in runs that do not name it. \throws Error  none is known.
  double value_before(Eigen::Index parameter, const std::string& place) const;
  /// Was a run made with the values that parameters are fixed at now?
  bool fixed_as_in(const Settings& settings) const;
};

/// Reads and checks a study file. \throws StudyError  all that is wrong; Error (request) no such file.
Study read_study(const std::filesystem::path& folder);
/// The same from text; `folder` is where files named in it are looked for.
Study parse_study(std::string_view text, const std::filesystem::path& folder);

}  // namespace renth
