// Expressions that people write: limits, derived responses, formulas, filters.
#pragma once
#include <Eigen/Core>
#include <renth/expression/program.hpp>
#include <string>
#include <string_view>
#include <vector>

namespace renth {

/// A name that an expression may use, and what it stands for.
struct Symbol {
  enum class Kind { number, choice, curve };
  std::string name;
  Kind kind = Kind::number;
  std::vector<std::string> choices;  ///< of a choice
  std::vector<double> axis;          ///< of a curve
};

/// Values for the symbols, in their order: numbers and choices (as index) from `numbers`; a curve
/// at its place in `curves` (its entry in `numbers` is not read).
struct Bindings {
  const double* numbers = nullptr;
  const std::vector<Eigen::VectorXd>* curves = nullptr;
};

/// The same for m points at once. What an expression does not use may be missing.
struct ManyBindings {
  Eigen::MatrixXd numbers;              ///< m × symbols
  std::vector<Eigen::MatrixXd> curves;  ///< by symbol, m × axis points
};

/// A checked expression, ready to be evaluated; may be from several threads at once.
///
///   numbers    + - * / ^, unary -, ( ), ? :, sin cos tan asin acos atan atan2 sinh cosh tanh exp
///              ln log log10 log2 sqrt abs sign min max round floor ceil
///   conditions < <= > >= == !=, && || !, text in quotes compared with a choice
///   curves     at(c, x)  min max mean argmin argmax(c[, lo, hi])  width(c, level)
///
/// ln and log are natural. -2^2 is −4. Assignment, chained comparisons, a comma outside a call and a
/// comparison used as a number are errors; so is a result that is not finite, or a comparison of one that is
/// not. Of c ? a : b only what is chosen counts. Reading and evaluating take time in proportion to the
/// length.
class Expression {
 public:
  /// Brackets, calls, signs and the like in one another at most.
  static constexpr int most_nested = 200;

  /// \param place  where the text stands, for messages.
  /// \throws Error  with the character at which it goes wrong.
  Expression(std::string_view text, const std::vector<Symbol>& symbols, std::string place);

  const std::string& text() const { return text_; }
  bool is_condition() const { return condition_; }
  const Program& program() const { return program_; }
  /// Which symbols it uses.
  bool uses(std::size_t symbol) const { return symbol < used_.size() && used_[symbol]; }

  /// The number. \throws Error  not finite; a condition.
  double value(const Bindings& bindings) const;
  /// A condition as a margin: ≥ 0 holds. && is the smaller, || the larger of two margins; a <= b is
  /// b − a, within 1e-9 of their size exactly 0; == of numbers is −|a − b|; of choices ±1.
  double margin(const Bindings& bindings) const;
  bool holds(const Bindings& bindings) const { return margin(bindings) >= 0; }

  /// The numbers, or the margins of a condition, at m points; NaN where they are undefined.
  Eigen::VectorXd values(const ManyBindings& bindings) const;

 private:
  double result(const Bindings& bindings) const;
  [[noreturn]] void undefined(const Bindings& bindings) const;
  std::string text_, place_;
  std::vector<bool> used_;
  bool condition_ = false;
  Program program_;
};

}  // namespace renth
