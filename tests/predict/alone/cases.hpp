// What one build writes and another reads: surrogates of every kind, and what they predict.
#pragma once
#include <nlohmann/json.hpp>
#include <renth/surrogate/surrogate.hpp>
#include <string>

namespace renth::test {

inline std::string to_hex(const std::string& bytes) {
  static constexpr char digits[] = "0123456789abcdef";
  std::string out;
  for (const char c : bytes) {
    out += digits[static_cast<unsigned char>(c) >> 4];
    out += digits[static_cast<unsigned char>(c) & 15];
  }
  return out;
}
inline std::string from_hex(const std::string& text) {
  std::string out;
  for (std::size_t i = 0; i + 1 < text.size(); i += 2)
    out += static_cast<char>(std::stoi(text.substr(i, 2), nullptr, 16));
  return out;
}

inline nlohmann::json to_json(const Eigen::MatrixXd& m) {
  return {{"rows", m.rows()}, {"values", std::vector<double>(m.data(), m.data() + m.size())}};
}
inline Eigen::MatrixXd from_json(const nlohmann::json& json) {
  const auto values = json["values"].get<std::vector<double>>();
  const auto rows = json["rows"].get<Eigen::Index>();
  return Eigen::Map<const Eigen::MatrixXd>(values.data(), rows,
                                           rows > 0 ? Eigen::Index(values.size()) / rows : 0);
}

}  // namespace renth::test
