// An expression between its text and its values: a row of instructions for a stack of numbers.
#pragma once
#include <cstddef>
#include <string_view>
#include <vector>

namespace renth {

/// What an instruction does with the top of the stack. Conditions are numbers too: their margins.
enum class Op : unsigned char {
  constant,
  symbol,
  // numbers
  negate,
  add,
  subtract,
  multiply,
  divide,
  power,
  atan2,
  minimum,
  maximum,
  function,  ///< of one number, `which` of functions_of_one()
  // comparisons, as margins
  less,
  less_equal,
  greater,
  greater_equal,
  equal,
  unequal,
  same_choice,
  other_choice,
  // conditions
  both,
  either,
  invert,
  choose,  ///< condition, value if it holds, value if not
  // of the curve `which`
  curve_at,
  curve_width,
  curve_minimum,
  curve_maximum,
  curve_mean,
  curve_argmin,
  curve_argmax,
};

struct Instruction {
  Op op = Op::constant;
  std::size_t which = 0;  ///< a symbol or a function
  double number = 0;      ///< of a constant
};

/// What a program runs on: numbers by symbol, and curves, each of several lanes (points) side by side.
struct Lanes {
  const double* numbers = nullptr;  ///< of symbol s from numbers + s·stride on
  std::ptrdiff_t stride = 1;
  /// Of each symbol that is a curve its values: one axis point after another, `curve_stride` apart.
  const std::vector<const double*>* curves = nullptr;
  std::ptrdiff_t curve_stride = 1;
};

/// Instructions in the order in which they are carried out.
struct Program {
  std::vector<Instruction> steps;
  std::vector<std::vector<double>> axes;  ///< by symbol; empty for what is no curve
  std::size_t depth = 0;                  ///< numbers on the stack at most

  /// `lanes` results, 1 to most_lanes. A condition gives its margin; NaN where a comparison met something
  /// that is not finite. Work and memory grow as the length of the program.
  void run(const Lanes& from, std::size_t lanes, double* out) const;
  static constexpr std::size_t most_lanes = 64;
};

struct FunctionOfOne {
  std::string_view name;
  double (*value)(double);
};
/// sqrt, exp, ln and so on, by name.
const std::vector<FunctionOfOne>& functions_of_one();

/// How many numbers an instruction takes from the stack; each leaves one.
std::size_t operands(Op op);

}  // namespace renth
