#include <fmt/format.h>

#include <cmath>
#include <renth/document/json.hpp>
#include <renth/document/wording.hpp>

namespace renth {

namespace {

/// U+007F … U+009F as \\u escapes: control characters that JSON may hold as they are, and a terminal obeys.
std::string escaped_controls(std::string text) {
  constexpr std::string_view first_bytes = "\x7f\xc2";
  for (std::size_t at = 0; (at = text.find_first_of(first_bytes, at)) != text.npos; ++at) {
    const bool one = text[at] == '\x7f';
    const auto code = one ? 0x7f : static_cast<unsigned char>(text[at + 1]);
    if (code < 0xa0) text.replace(at, one ? 1 : 2, fmt::format("\\u{:04x}", code));
  }
  return text;
}

}  // namespace

std::string json_text(const Json& document, bool indented) {
  return escaped_controls(document.dump(indented ? 1 : -1, ' ', false, Json::error_handler_t::replace)) +
         "\n";
}

Json json_number(double value) {
  return std::isfinite(value) ? Json(value) : Json(nullptr);
}

Json json_numbers(const std::vector<double>& values) {
  Json out = Json::array();
  for (const double v : values) out.push_back(json_number(v));
  return out;
}

Json json_texts(const std::vector<std::string>& list) {
  Json out = Json::array();
  for (const std::string& t : list) out.push_back(in_options(t));
  return out;
}

Json json_value(const Value& value) {
  return std::visit([](const auto& x) { return Json(x); }, value);
}

Json json_interval(double low, double high) {
  return std::isfinite(low) ? Json{low, high} : Json(nullptr);
}

Json json_settings(const Problem& problem, const Settings& settings) {
  Json out = Json::object();
  for (const std::string& key : problem.order)
    if (const auto found = settings.find(key); found != settings.end()) out[key] = json_value(found->second);
  for (const auto& [key, v] : settings)  // parameters that the study no longer has
    if (!out.contains(key)) out[key] = json_value(v);
  return out;
}

Json json_point(const Problem& problem, const Eigen::VectorXd& point) {
  return json_settings(problem, problem.settings(point));
}

Json notes_document(const Notes& notes) {
  Json out = Json::array();
  for (const Note& n : notes) out.push_back({{"code", n.code}, {"text", in_options(n.text)}});
  return out;
}

Json error_entry(const Error& e) {
  return {{"what", in_options(e.problem())},
          {"where", in_options(e.place())},
          {"remedy", in_options(e.remedy())},
          {"status", static_cast<int>(e.kind())}};
}

Json error_document(const Error& error) {
  return {{"error", error_entry(error)}};
}

}  // namespace renth
