#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <charconv>
#include <cmath>
#include <cstdlib>
#include <renth/base/error.hpp>
#include <renth/base/text.hpp>
#include <renth/expression/reader.hpp>

namespace renth {
namespace {

bool is_of_name(char c) {
  return std::isalnum(static_cast<unsigned char>(c)) || c == '_';
}

/// As std::from_chars, which some libraries have for whole numbers alone; those keep to the C locale.
std::from_chars_result read_number(const char* from, const char* to, double& value) {
#ifdef __cpp_lib_to_chars
  return std::from_chars(from, to, value);
#else
  const std::string text(from,
                         std::size_t(std::find_if(from, to,
                                                  [](char c) {
                                                    return !std::isalnum(static_cast<unsigned char>(c)) &&
                                                           c != '.' && c != '-' && c != '+';
                                                  }) -
                                     from));
  char* end = nullptr;
  value = std::strtod(text.c_str(), &end);
  const auto read = end - text.c_str();
  return {from + read, read > 0 ? std::errc() : std::errc::invalid_argument};
#endif
}

}  // namespace

void ExpressionReader::fail_at(std::size_t at, const std::string& problem, const std::string& remedy) const {
  throw Error(problem, fmt::format("{}: \"{}\", character {}", place_, around(text_, at), at + 1), remedy);
}

void ExpressionReader::skip_blanks() {
  while (std::isspace(static_cast<unsigned char>(peek()))) ++at_;
}

bool ExpressionReader::take(std::string_view token) {
  skip_blanks();
  if (text_.substr(at_, token.size()) != token) return false;
  at_ += token.size();
  return true;
}

std::string_view ExpressionReader::character() const {
  std::size_t end = std::min(text_.size(), at_ + 1);
  while (end < text_.size() && continues_character(text_[end])) ++end;
  return text_.substr(at_, end - at_);
}

std::string_view ExpressionReader::name() {
  const std::size_t start = at_;
  while (is_of_name(peek())) ++at_;
  return text_.substr(start, at_ - start);
}

double ExpressionReader::number() {
  const std::size_t start = at_;
  double value = 0;
  const auto [end, status] = read_number(text_.data() + at_, text_.data() + text_.size(), value);
  if (status != std::errc() || !std::isfinite(value))
    fail("this is not a number", "write it with digits and a point");
  at_ = static_cast<std::size_t>(end - text_.data());
  if (std::isalpha(static_cast<unsigned char>(peek())) || peek() == '_')
    fail_at(start, "a name cannot begin with a digit, nor a factor be written without *", "write 2 * x");
  return value;
}

std::string ExpressionReader::quoted() {
  const std::size_t end = text_.find(peek(), at_ + 1);
  if (end == std::string_view::npos) fail("a quote is not closed", "close it");
  std::string out(text_.substr(at_ + 1, end - at_ - 1));
  if (out.empty()) fail("an empty text", "name a choice");
  at_ = end + 1;
  return out;
}

std::optional<double> ExpressionReader::number_since(std::size_t start) const {
  double x = 0;
  const char* const end = text_.data() + at_;
  const auto [stop, error] = read_number(text_.data() + start, end, x);
  return error == std::errc() && stop == end ? std::optional(x) : std::nullopt;
}

}  // namespace renth
