#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/study/study.hpp>

namespace renth {

StudyError::StudyError(std::string file, std::vector<Problem> problems)
    : Error(fmt::format("{} problem{} in the study file", problems.size(), problems.size() == 1 ? "" : "s"),
            file, problems.empty() ? "" : problems.front().text),
      file_(std::move(file)),
      problems_(std::move(problems)) {
  std::stable_sort(problems_.begin(), problems_.end(),
                   [](const Problem& a, const Problem& b) { return a.line < b.line; });
}

std::vector<std::string> StudyError::lines() const {
  std::vector<std::string> out;
  for (const Problem& p : problems_) {
    const std::string at = p.line > 0 ? fmt::format(":{}:{}", p.line, p.column) : "";
    out.push_back(
        fmt::format("{}: {}{}{}{}: {}", p.text, file_, at, p.key.empty() ? "" : " ", p.key, p.remedy));
  }
  return out;
}

int Study::response(std::string_view wanted) const {
  for (std::size_t i = 0; i < responses.size(); ++i)
    if (responses[i].name == wanted) return static_cast<int>(i);
  return -1;
}

std::vector<Symbol> Study::parameter_symbols() const {
  std::vector<Symbol> out;
  for (const Parameter& p : space.parameters())
    out.push_back({p.name, p.is_choice() ? Symbol::Kind::choice : Symbol::Kind::number, p.choices, {}});
  for (const FixedParameter& f : fixed) {
    if (const auto* text = std::get_if<std::string>(&f.value))
      out.push_back({f.name, Symbol::Kind::choice, {*text}, {}});
    else
      out.push_back({f.name, Symbol::Kind::number, {}, {}});
  }
  return out;
}

std::vector<Symbol> Study::symbols() const {
  std::vector<Symbol> out = parameter_symbols();
  for (const Response& r : responses) {
    if (r.axis >= 0)
      out.push_back({r.name, Symbol::Kind::curve, {}, axes[r.axis].points});
    else
      out.push_back({r.name, Symbol::Kind::number, {}, {}});
  }
  return out;
}

std::vector<double> Study::fixed_numbers() const {
  std::vector<double> out;
  for (const FixedParameter& f : fixed) {
    const auto* number = std::get_if<double>(&f.value);
    out.push_back(number ? *number : 0);
  }
  return out;
}

Eigen::VectorXd Study::point(const Settings& settings, bool fill, const std::string& place) const {
  Eigen::VectorXd out = space.nominal();
  for (const auto& [key, value] : settings)
    if (!space.find(key) &&
        std::none_of(fixed.begin(), fixed.end(), [&, k = key](const auto& f) { return f.name == k; })) {
      std::string known;
      for (const Parameter& p : space.parameters()) known += (known.empty() ? "" : ", ") + p.name;
      throw Error("no parameter is called " + key, place, "use " + known);
    }
  for (Eigen::Index j = 0; j < space.size(); ++j) {
    const Parameter& p = space[j];
    const Value* value = nullptr;
    if (const auto it = settings.find(p.name); it != settings.end())
      value = &it->second;
    else if (const auto old = before.find(p.name); old != before.end() && !fill)
      value = &old->second;
    if (!value) {
      if (fill) continue;
      throw Error("there is no value for " + p.name, place,
                  fmt::format("give {0}, or say what it was: before = … in [[parameter]] {0}", p.name));
    }
    if (p.is_choice()) {
      const auto* text = std::get_if<std::string>(value);
      const std::string word = text ? *text : fmt::format("{}", std::get<double>(*value));
      const auto found = std::find(p.choices.begin(), p.choices.end(), word);
      if (found == p.choices.end()) {
        std::string known;
        for (const std::string& c : p.choices) known += (known.empty() ? "" : ", ") + c;
        throw Error(fmt::format("{} has no choice \"{}\"", p.name, word), place, "use one of " + known);
      }
      out[j] = static_cast<double>(found - p.choices.begin());
    } else {
      const auto* number = std::get_if<double>(value);
      if (!number || !std::isfinite(*number))
        throw Error(
            fmt::format("{} is no number for {}",
                        number ? "not finite, it" : "\"" + std::get<std::string>(*value) + "\"", p.name),
            place, "give a number");
      out[j] = *number;
      if (p.kind == Parameter::Kind::levels &&
          std::find(p.values.begin(), p.values.end(), *number) == p.values.end())
        throw Error(fmt::format("{} has no level {}", p.name, *number), place,
                    fmt::format("its levels are {}", fmt::join(p.values, ", ")));
    }
  }
  return out;
}

Settings Study::settings(const Eigen::VectorXd& at) const {
  Settings out;
  for (Eigen::Index j = 0; j < space.size(); ++j) {
    const Parameter& p = space[j];
    if (p.is_choice())
      out[p.name] = p.choices[static_cast<std::size_t>(at[j])];
    else
      out[p.name] = at[j];
  }
  for (const FixedParameter& f : fixed) out[f.name] = f.value;
  return out;
}

}  // namespace renth
