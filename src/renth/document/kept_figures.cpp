#include <cmath>
#include <renth/document/kept_figures.hpp>
#include <renth/space/shown.hpp>

namespace renth {

double number_in(const Kept& document, const char* key) {
  const auto found = document.find(key);
  return found != document.end() && found->is_number() ? found->get<double>() : std::nan("");
}

std::string text_in(const Kept& document, const char* key) {
  const auto found = document.find(key);
  return found != document.end() && found->is_string() ? found->get<std::string>() : "";
}

double level_in(const Kept& document) {
  constexpr double usual = 0.95;
  const double level = number_in(document, "level");
  return std::isnan(level) ? usual : level;
}

Bounds bounds_in(const Kept& document, const char* key) {
  const Kept& ends = part_of(document, key);
  if (ends.size() != 2 || !ends[0].is_number() || !ends[1].is_number()) return {NAN, NAN};
  return {ends[0].get<double>(), ends[1].get<double>()};
}

const Kept& part_of(const Kept& document, const char* key) {
  static const Kept none = Kept::array();
  const auto found = document.find(key);
  return found != document.end() && found->is_structured() ? *found : none;
}

std::string title_of_response(const Study& study, const std::string& name) {
  const int k = study.response(name);
  return k < 0 ? name : study.responses[std::size_t(k)].title();
}

std::string unit_of_response(const Study& study, const std::string& name) {
  const int k = study.response(name);
  return k < 0 ? "" : study.responses[std::size_t(k)].unit;
}

std::string title_of_parameter(const Study& study, const std::string& name) {
  for (const Parameter& p : study.space.parameters())
    if (p.name == name) return p.title();
  return name;
}

Figures point_columns(const Study& study, const Kept& point) {
  Figures out;
  for (const Parameter& p : study.space.parameters()) {
    const auto found = point.find(p.name);
    if (found == point.end() || found->is_null())
      out.push_back(text("", p.name, "–"));
    else if (found->is_number())
      out.push_back(number("", p.name, found->get<double>(), 5)),
          out.back().decimals = shown_decimals(p, found->get<double>());
    else
      out.push_back(text("", p.name, found->is_string() ? found->get<std::string>() : found->dump()));
    out.back().unit = p.unit;
  }
  return out;
}

}  // namespace renth
