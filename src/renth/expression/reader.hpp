// The text of an expression, read from left to right.
#pragma once
#include <optional>
#include <string>
#include <string_view>

namespace renth {

/// Where reading has got to; errors say where that is.
class ExpressionReader {
 public:
  ExpressionReader(std::string_view text, std::string place) : text_(text), place_(std::move(place)) {}

  std::size_t at() const { return at_; }
  void go_to(std::size_t at) { at_ = at; }
  bool ended() const { return at_ >= text_.size(); }
  char peek(std::size_t ahead = 0) const { return at_ + ahead < text_.size() ? text_[at_ + ahead] : '\0'; }
  /// The whole character here, all bytes that it has in UTF-8.
  std::string_view character() const;
  void skip_blanks();
  void pass(std::size_t characters = 1) { at_ += characters; }
  /// Is this next, blanks passed over? Then it is taken.
  bool take(std::string_view token);
  /// Letters, digits and underscores; may be empty.
  std::string_view name();
  /// A number from here on. \throws Error  none, or one that is not finite.
  double number();
  /// What stands between two quotes. \throws Error  not closed; empty.
  std::string quoted();
  /// The number that stands alone between `start` and here; nothing if it is something else.
  std::optional<double> number_since(std::size_t start) const;

  [[noreturn]] void fail(const std::string& problem, const std::string& remedy) const {
    fail_at(at_, problem, remedy);
  }
  [[noreturn]] void fail_at(std::size_t at, const std::string& problem, const std::string& remedy) const;

 private:
  std::string_view text_;
  std::string place_;
  std::size_t at_ = 0;
};

}  // namespace renth
