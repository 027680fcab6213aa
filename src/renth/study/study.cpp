#include <fmt/format.h>

#include <algorithm>
#include <renth/study/study.hpp>

namespace renth {

StudyError::StudyError(std::string file, std::vector<StudyFault> faults)
    : Error(fmt::format("{} problem{} in the study file", faults.size(), faults.size() == 1 ? "" : "s"), file,
            faults.empty() ? "" : faults.front().text),
      file_(std::move(file)),
      faults_(std::move(faults)) {
  std::stable_sort(faults_.begin(), faults_.end(),
                   [](const StudyFault& a, const StudyFault& b) { return a.line < b.line; });
}

std::vector<std::string> StudyError::lines() const {
  std::vector<std::string> out;
  for (const StudyFault& p : faults_) {
    const std::string at = p.line > 0 ? fmt::format(":{}:{}", p.line, p.column) : "";
    out.push_back(
        fmt::format("{}: {}{}{}{}: {}", p.text, file_, at, p.key.empty() ? "" : " ", p.key, p.remedy));
  }
  return out;
}

Eigen::VectorXd Study::point_of_run(const Settings& settings, const std::string& place) const {
  Eigen::VectorXd out(space.size());
  for (Eigen::Index j = 0; j < space.size(); ++j) {
    const std::string& parameter = space[j].name;
    const auto given = settings.find(parameter), old = before.find(parameter);
    if (given == settings.end() && old == before.end())
      throw Error("there is no value for " + parameter, place,
                  fmt::format("give {0}, or say what it was: before = … in [[parameter]] {0}", parameter));
    out[j] = value_of(j, given == settings.end() ? old->second : given->second, place);
  }
  return out;
}

}  // namespace renth
