// From the text of an expression to its instructions.
#pragma once
#include <renth/expression/expression.hpp>
#include <string>
#include <string_view>
#include <vector>

namespace renth {

struct ParsedExpression {
  Program program;
  bool condition = false;
  std::vector<bool> used;  ///< by symbol
};

/// \throws Error  with the character at which the text goes wrong.
ParsedExpression parse_expression(std::string_view text, const std::vector<Symbol>& symbols,
                                  const std::string& place);

}  // namespace renth
