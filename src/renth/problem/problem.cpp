#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/problem/problem.hpp>
#include <set>

namespace renth {

int Problem::response(std::string_view wanted) const {
  for (std::size_t i = 0; i < responses.size(); ++i)
    if (responses[i].name == wanted) return static_cast<int>(i);
  return -1;
}

std::vector<Symbol> Problem::parameter_symbols() const {
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

std::vector<Symbol> Problem::symbols() const {
  std::vector<Symbol> out = parameter_symbols();
  for (const Response& r : responses) {
    if (const Axis* axis = axis_of(r))
      out.push_back({r.name, Symbol::Kind::curve, {}, axis->points});
    else
      out.push_back({r.name, Symbol::Kind::number, {}, {}});
  }
  return out;
}

std::vector<double> Problem::fixed_numbers() const {
  std::vector<double> out;
  for (const FixedParameter& f : fixed) {
    const auto* number = std::get_if<double>(&f.value);
    out.push_back(number ? *number : 0);
  }
  return out;
}

Limit Problem::limit(const std::string& text, const std::string& place) const {
  const auto rule = std::make_shared<const Expression>(text, parameter_symbols(), place);
  if (!rule->is_condition())
    throw Error("a number where a condition is needed", place, "compare it: draft <= 2.2 * radius");
  if (fixed.empty()) return {text, [rule](const double* point) { return rule->margin({point, nullptr}); }};
  return {text, [rule, constants = fixed_numbers(), varying = space.size()](const double* point) {
            std::vector<double> values(point, point + varying);
            values.insert(values.end(), constants.begin(), constants.end());
            return rule->margin({values.data(), nullptr});
          }};
}

std::vector<Symbol> Problem::symbols_before(int response, const std::vector<bool>& derived) const {
  std::vector<Symbol> out = symbols();
  for (std::size_t k = std::size_t(response); k < responses.size(); ++k)
    if (derived[k] || k == std::size_t(response)) out[first_response() + k].name.clear();
  return out;
}

std::shared_ptr<const Expression> Problem::derivation(int response, const std::string& text,
                                                      const std::string& place) const {
  std::vector<bool> derived;
  for (const Response& r : responses) derived.push_back(r.derive != nullptr);
  auto out = std::make_shared<const Expression>(text, symbols_before(response, derived), place);
  if (out->is_condition()) throw Error("a condition where a number is needed", place, "give a number");
  return out;
}

std::vector<std::string> Problem::response_names() const {
  std::vector<std::string> out;
  for (const Response& r : responses) out.push_back(r.name);
  return out;
}

void Problem::check_names(const Settings& settings, const std::string& place) const {
  for (const auto& [key, value] : settings) {
    const bool is_fixed =
        std::any_of(fixed.begin(), fixed.end(), [&, k = key](const auto& f) { return f.name == k; });
    if (is_fixed || space.find(key)) continue;
    std::vector<std::string> known;
    for (const Parameter& p : space.parameters()) known.push_back(p.name);
    refuse_unknown("parameter", key, place, known);
  }
}

double Problem::value_of(Eigen::Index parameter, const Value& value, const std::string& place) const {
  const Parameter& p = space[parameter];
  if (p.is_choice()) {
    const auto* text = std::get_if<std::string>(&value);
    const std::string word = text ? *text : fmt::format("{}", std::get<double>(value));
    const auto found = std::find(p.choices.begin(), p.choices.end(), word);
    if (found == p.choices.end()) refuse_unknown(p.name, word, place, p.choices);
    return static_cast<double>(found - p.choices.begin());
  }
  const auto* number = std::get_if<double>(&value);
  if (!number || !std::isfinite(*number))
    throw Error(number ? p.name + " must be finite"
                       : fmt::format("{} must be a number, not \"{}\"", p.name, std::get<std::string>(value)),
                place, "give a number");
  if (p.kind == Parameter::Kind::levels &&
      std::find(p.values.begin(), p.values.end(), *number) == p.values.end())
    throw Error(fmt::format("{} has no level {}", p.name, *number), place,
                fmt::format("its levels are {}", fmt::join(p.values, ", ")));
  return *number;
}

Eigen::VectorXd Problem::point(const Settings& settings, const std::string& place) const {
  check_names(settings, place);
  Eigen::VectorXd out = space.nominal();
  for (Eigen::Index j = 0; j < space.size(); ++j)
    if (const auto given = settings.find(space[j].name); given != settings.end())
      out[j] = value_of(j, given->second, place);
  return out;
}

Settings Problem::settings(const Eigen::VectorXd& at) const {
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

std::vector<int> sources_of(const Problem& problem, int response) {
  const Response& r = problem.responses[std::size_t(response)];
  if (!r.derive) return {response};
  std::set<int> out;
  const std::size_t first = problem.first_response();
  for (int k = 0; k < int(problem.responses.size()); ++k)
    if (k != response && r.derive->uses(first + std::size_t(k)))
      for (const int s : sources_of(problem, k)) out.insert(s);
  return {out.begin(), out.end()};
}

}  // namespace renth
