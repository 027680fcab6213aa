// Expressions that people write: limits, derived responses, formulas, filters.
#pragma once
#include <Eigen/Core>
#include <memory>
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

/// A checked and compiled expression; may be evaluated from several threads at once.
///
///   numbers    + - * / ^, unary -, ( ), ? :, sin cos tan asin acos atan atan2 sinh cosh tanh exp
///              ln log log10 log2 sqrt abs sign min max round floor ceil
///   conditions < <= > >= == !=, && || !, text in quotes compared with a choice
///   curves     at(c, x)  min max mean argmin argmax(c[, lo, hi])  width(c, level)
///
/// ln and log are natural. -2^2 is −4. Assignment, chained comparisons, a comma outside a call and a
/// comparison used as a number are errors; so is a result that is not finite.
class Expression {
 public:
  /// \param place  where the text stands, for messages.
  /// \throws Error  with the character at which it goes wrong.
  Expression(std::string_view text, std::vector<Symbol> symbols, const std::string& place);
  ~Expression();
  Expression(Expression&&) noexcept;
  Expression& operator=(Expression&&) noexcept;

  const std::string& text() const;
  bool is_condition() const;
  /// Which symbols it uses.
  bool uses(std::size_t symbol) const;

  /// The number. \throws Error  not finite; a condition.
  double value(const Bindings& bindings) const;
  /// A condition as a margin: ≥ 0 holds. && is the smaller, || the larger of two margins; a <= b is
  /// b − a, within 1e-9 of their size exactly 0; == of numbers is −|a − b|; of choices ±1.
  double margin(const Bindings& bindings) const;
  bool holds(const Bindings& bindings) const { return margin(bindings) >= 0; }

  struct Node;

 private:
  struct Implementation;
  std::unique_ptr<Implementation> implementation_;
};

/// What the curve functions compute, on a curve that is linear between its axis points. NaN in
/// `values` (a missing point) makes the result NaN. \throws Error  x outside the axis.
namespace curve {
double at(const std::vector<double>& axis, const Eigen::VectorXd& values, double x);
double minimum(const std::vector<double>& axis, const Eigen::VectorXd& values, double low, double high);
double maximum(const std::vector<double>& axis, const Eigen::VectorXd& values, double low, double high);
double mean(const std::vector<double>& axis, const Eigen::VectorXd& values, double low, double high);
double argmin(const std::vector<double>& axis, const Eigen::VectorXd& values, double low, double high);
double argmax(const std::vector<double>& axis, const Eigen::VectorXd& values, double low, double high);
/// Total length of the axis where the curve is at or above `level`.
double width(const std::vector<double>& axis, const Eigen::VectorXd& values, double level);
}  // namespace curve

}  // namespace renth
