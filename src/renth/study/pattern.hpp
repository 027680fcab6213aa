// Regular expressions that people write to find a number in what a solver printed.
#pragma once
#include <functional>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

namespace renth {

/// A Perl-compatible regular expression. Whatever the expression and the text, compiling and matching take no
/// more than some memory and a second, and end with an error if that is not enough.
class Pattern {
 public:
  /// \throws Error  it is none, or too complicated; the place is "character N" of it.
  explicit Pattern(const std::string& text);
  /// How many groups in brackets it has.
  int groups() const { return groups_; }
  /// Calls `found` with the groups (from 1) of every match in a line, from left to right. \throws Error  a
  /// match would take too long to find.
  void each_match(std::string_view line,
                  const std::function<void(const std::vector<std::string_view>&)>& found) const;

 private:
  struct Code;
  std::shared_ptr<const Code> code_;
  int groups_ = 0;
};

}  // namespace renth
