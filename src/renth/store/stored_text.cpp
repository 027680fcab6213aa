#include <fmt/format.h>

#include <cmath>
#include <limits>
#include <renth/store/stored_text.hpp>

namespace renth {

using nlohmann::json;

json to_json(const Settings& settings) {
  json out = json::object();
  for (const auto& [key, value] : settings) std::visit([&, k = key](const auto& v) { out[k] = v; }, value);
  return out;
}

Settings settings_from_json(const json& document) {
  Settings out;
  for (const auto& [key, value] : document.items()) {
    if (value.is_string())
      out[key] = value.get<std::string>();
    else
      out[key] = value.get<double>();
  }
  return out;
}

std::string words_to_text(const json& words) {
  return words.dump(-1, ' ', false, json::error_handler_t::replace);
}

std::string settings_to_text(const Settings& settings) {
  for (const auto& [name, value] : settings)
    if (const auto* number = std::get_if<double>(&value); number && !std::isfinite(*number))
      throw Error(fmt::format("{} would be set to {}", name, *number), "a run's settings",
                  "give it a number that can be set");
  return to_json(settings).dump();
}

Settings settings_from_text(std::string_view text) {
  Settings out;
  const bool plain =
      for_each_setting(text, [&](std::string_view name, double number, std::string_view word, bool is_word) {
        out.insert_or_assign(std::string(name), is_word ? Value(std::string(word)) : Value(number));
      });
  return plain ? out : settings_from_json(json::parse(text));
}

std::string output_to_text(const Output& output) {
  json values = json::array();
  for (const double v : output.values) values.push_back(std::isfinite(v) ? json(v) : json(nullptr));
  return output.axis.empty() ? values.dump() : json{{"axis", output.axis}, {"values", values}}.dump();
}

bool read_single(std::string_view text, double& value) {
  if (text.size() < 3 || text.front() != '[' || text.back() != ']') return false;
  const char* end = text.data() + text.size() - 1;
  const auto [after, error] = std::from_chars(text.data() + 1, end, value);
  return error == std::errc() && after == end;
}

Output output_from_text(std::string_view text) {
  Output out;
  if (double one = 0; read_single(text, one)) return {{one}, {}};
  const json document = json::parse(text);
  if (document.is_object()) out.axis = document["axis"].get<std::vector<double>>();
  for (const json& v : document.is_object() ? document["values"] : document)
    out.values.push_back(v.is_null() ? std::numeric_limits<double>::quiet_NaN() : v.get<double>());
  return out;
}

}  // namespace renth
