#include <array>
#include <cstdint>
#include <renth/base/error.hpp>
#include <renth/numeric/base64.hpp>

namespace renth {
namespace {

constexpr std::string_view alphabet = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";

constexpr std::array<signed char, 256> values() {
  std::array<signed char, 256> out{};
  for (auto& v : out) v = -1;
  for (std::size_t i = 0; i < alphabet.size(); ++i)
    out[static_cast<unsigned char>(alphabet[i])] = static_cast<signed char>(i);
  return out;
}

}  // namespace

std::string to_base64(std::string_view bytes) {
  std::string out;
  out.reserve((bytes.size() + 2) / 3 * 4);
  for (std::size_t i = 0; i < bytes.size(); i += 3) {
    std::uint32_t three = 0;
    for (std::size_t k = 0; k < 3; ++k)
      three = three << 8 | (i + k < bytes.size() ? static_cast<unsigned char>(bytes[i + k]) : 0u);
    for (std::size_t k = 0; k < 4; ++k)
      out += i + k <= bytes.size() ? alphabet[three >> (18 - 6 * k) & 63] : '=';
  }
  return out;
}

std::string from_base64(std::string_view text) {
  static constexpr std::array<signed char, 256> value = values();
  const auto refuse = [] { throw Error("text that is not base64", "base64", "restore the file"); };
  if (text.size() % 4 != 0) refuse();
  std::size_t padding = 0;
  while (padding < 2 && padding < text.size() && text[text.size() - 1 - padding] == '=') ++padding;
  std::string out;
  out.reserve(text.size() / 4 * 3);
  for (std::size_t i = 0; i < text.size(); i += 4) {
    std::uint32_t three = 0;
    for (std::size_t k = 0; k < 4; ++k) {
      const bool padded = i + k >= text.size() - padding;
      const int v = padded ? 0 : value[static_cast<unsigned char>(text[i + k])];
      if (v < 0) refuse();
      three = three << 6 | static_cast<std::uint32_t>(v);
    }
    for (int k = 2; k >= 0; --k) out += static_cast<char>(three >> (8 * k) & 255);
  }
  out.resize(out.size() - padding);
  return out;
}

}  // namespace renth
