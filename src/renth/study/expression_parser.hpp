// The parsed form of an expression, between its text and its evaluation.
#pragma once
#include <memory>
#include <renth/study/expression.hpp>
#include <string>
#include <vector>

namespace renth {

/// Either a number (arithmetic, rendered for muParser) or a condition (evaluated here, as margins).
struct Expression::Node {
  enum class Kind { number, compare, both, either, negate, when } kind = Kind::number;
  std::string arithmetic;   // number: muParser's text; variables v0, v1, … and c0, c1, …
  std::string op;           // compare
  bool of_choices = false;  // compare
  std::unique_ptr<Node> a, b, c;
  int left = -1, right = -1;  // compiled numbers of this node
  bool is_condition() const { return kind != Kind::number && (kind != Kind::when || b->is_condition()); }
};

/// A call of a curve function; its arguments are numbers of their own.
struct CurveCall {
  std::string function;
  std::size_t symbol;
  std::vector<int> arguments;  // compiled numbers
};

/// What parsing gives: the tree, and every number in it that is compiled on its own.
struct ParsedExpression {
  std::unique_ptr<Expression::Node> root;
  std::vector<bool> used;            ///< by symbol
  std::vector<std::string> numbers;  ///< muParser's texts
  std::vector<CurveCall> calls;
};

/// \throws Error  with the character at which the text goes wrong.
ParsedExpression parse_expression(std::string_view text, const std::vector<Symbol>& symbols,
                                  const std::string& place);

}  // namespace renth
