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

std::string StudyError::place_of(const StudyFault& p) const {
  const std::string at = p.line > 0 ? fmt::format(":{}:{}", p.line, p.column) : "";
  return fmt::format("{}{}{}{}", file_, at, p.key.empty() ? "" : " ", p.key);
}

std::vector<std::string> StudyError::lines() const {
  std::vector<std::string> out;
  for (const StudyFault& p : faults_) out.push_back(fmt::format("{}: {}: {}", p.text, place_of(p), p.remedy));
  return out;
}

Eigen::VectorXd Study::point_of_run(const Settings& settings, const std::string& place) const {
  Eigen::VectorXd out(space.size());
  for (Eigen::Index j = 0; j < space.size(); ++j) {
    const auto given = settings.find(space[j].name);
    out[j] = given == settings.end() ? value_before(j, place) : value_of(j, given->second, place);
  }
  return out;
}

double Study::value_before(Eigen::Index parameter, const std::string& place) const {
  const std::string& wanted = space[parameter].name;
  const auto old = before.find(wanted);
  if (old == before.end())
    throw Error("there is no value for " + wanted, place,
                fmt::format("give {0}, or say what it was: before = … in [[parameter]] {0}", wanted));
  return value_of(parameter, old->second, place);
}

bool Study::fixed_as_in(const Settings& settings) const {
  return std::all_of(fixed.begin(), fixed.end(), [&](const FixedParameter& f) {
    const auto found = settings.find(f.name);
    return found == settings.end() || found->second == f.value;
  });
}

}  // namespace renth
