#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/expression/curve.hpp>
#include <renth/expression/expression.hpp>
#include <renth/expression/parser.hpp>
#include <utility>

namespace renth {

Expression::Expression(std::string_view text, const std::vector<Symbol>& symbols, std::string place)
    : text_(text), place_(std::move(place)) {
  ParsedExpression parsed = parse_expression(text_, symbols, place_);
  used_ = std::move(parsed.used);
  condition_ = parsed.condition;
  program_ = std::move(parsed.program);
}

double Expression::result(const Bindings& bindings) const {
  std::vector<const double*> curves;
  if (bindings.curves)
    for (const Eigen::VectorXd& c : *bindings.curves) curves.push_back(c.data());
  double out = 0;
  program_.run({bindings.numbers, 1, &curves, 1}, 1, &out);
  if (!std::isfinite(out)) undefined(bindings);
  return out;
}

void Expression::undefined(const Bindings& bindings) const {
  // Most often a place that is not on the axis; said with its number.
  for (std::size_t i = 1; i < program_.steps.size(); ++i) {
    const Instruction &call = program_.steps[i], &argument = program_.steps[i - 1];
    if (call.op < Op::curve_at || call.op == Op::curve_width) continue;
    double x = argument.number;
    if (argument.op == Op::symbol)
      x = bindings.numbers[argument.which];
    else if (argument.op != Op::constant)
      continue;
    const std::vector<double>& axis = program_.axes[call.which];
    if (!curve::reaches(axis, x))
      throw Error(fmt::format("{} is outside the axis", x), fmt::format("{}: \"{}\"", place_, text_),
                  fmt::format("stay within {} … {}", axis.front(), axis.back()));
  }
  throw Error(
      "the result is not a finite number", fmt::format("{}: \"{}\"", place_, text_),
      "look for a division by zero, or a root or logarithm of a negative number, somewhere in the region");
}

double Expression::value(const Bindings& bindings) const {
  if (condition_) throw Error("a condition is used as a number", place_, "write  condition ? a : b");
  return result(bindings);
}

double Expression::margin(const Bindings& bindings) const {
  if (!condition_) throw Error("a number is used as a condition", place_, "compare it with something");
  return result(bindings);
}

Eigen::VectorXd Expression::values(const ManyBindings& bindings) const {
  const Eigen::Index m = bindings.numbers.rows();
  Eigen::VectorXd out(m);
  std::vector<const double*> curves(bindings.curves.size(), nullptr);
  for (Eigen::Index at = 0; at < m; at += Eigen::Index(Program::most_lanes)) {
    for (std::size_t s = 0; s < curves.size(); ++s)
      if (bindings.curves[s].size() > 0) curves[s] = bindings.curves[s].data() + at;
    const auto lanes = std::size_t(std::min<Eigen::Index>(m - at, Eigen::Index(Program::most_lanes)));
    program_.run({bindings.numbers.data() + at, m, &curves, m}, lanes, out.data() + at);
  }
  return out.array().isFinite().select(out.array(), std::numeric_limits<double>::quiet_NaN());
}

}  // namespace renth
