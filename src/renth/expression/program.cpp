#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <renth/expression/curve.hpp>
#include <renth/expression/program.hpp>

namespace renth {

const std::vector<FunctionOfOne>& functions_of_one() {
  static const std::vector<FunctionOfOne> table = {
      {"sin", [](double x) { return std::sin(x); }},
      {"cos", [](double x) { return std::cos(x); }},
      {"tan", [](double x) { return std::tan(x); }},
      {"asin", [](double x) { return std::asin(x); }},
      {"acos", [](double x) { return std::acos(x); }},
      {"atan", [](double x) { return std::atan(x); }},
      {"sinh", [](double x) { return std::sinh(x); }},
      {"cosh", [](double x) { return std::cosh(x); }},
      {"tanh", [](double x) { return std::tanh(x); }},
      {"exp", [](double x) { return std::exp(x); }},
      {"ln", [](double x) { return std::log(x); }},
      {"log", [](double x) { return std::log(x); }},
      {"log10", [](double x) { return std::log10(x); }},
      {"log2", [](double x) { return std::log2(x); }},
      {"sqrt", [](double x) { return std::sqrt(x); }},
      {"abs", [](double x) { return std::abs(x); }},
      {"sign", [](double x) { return x > 0   ? 1.0
                                     : x < 0 ? -1.0
                                             : x; }},
      {"round", [](double x) { return std::rint(x); }},
      {"floor", [](double x) { return std::floor(x); }},
      {"ceil", [](double x) { return std::ceil(x); }},
  };
  return table;
}

std::size_t operands(Op op) {
  switch (op) {
    case Op::constant:
    case Op::symbol:
      return 0;
    case Op::negate:
    case Op::function:
    case Op::invert:
    case Op::curve_at:
    case Op::curve_width:
      return 1;
    case Op::choose:
      return 3;
    default:
      return 2;
  }
}

namespace {

constexpr double no_value = std::numeric_limits<double>::quiet_NaN();
/// What a strict comparison of equal numbers is off by.
constexpr double hair = std::numeric_limits<double>::min();

double smaller(double a, double b) {
  return std::isnan(a) || std::isnan(b) ? no_value : std::min(a, b);
}
double larger(double a, double b) {
  return std::isnan(a) || std::isnan(b) ? no_value : std::max(a, b);
}
double inverted(double margin) {
  return margin == 0 ? -hair : -margin;
}

/// By how much a comparison holds (≥ 0) or fails.
double compared(Op op, double l, double r) {
  if (!std::isfinite(l) || !std::isfinite(r)) return no_value;
  double difference = op == Op::less || op == Op::less_equal ? r - l : l - r;
  if (std::abs(difference) <= 1e-9 * std::max(std::abs(l), std::abs(r))) difference = 0;
  if (op == Op::equal) return -std::abs(difference);
  if (op == Op::unequal) difference = std::abs(difference);
  const bool strict = op == Op::less || op == Op::greater || op == Op::unequal;
  return strict && difference == 0 ? -hair : difference;
}

double of_two(Op op, double a, double b) {
  switch (op) {
    case Op::add:
      return a + b;
    case Op::subtract:
      return a - b;
    case Op::multiply:
      return a * b;
    case Op::divide:
      return a / b;
    case Op::power:
      return std::pow(a, b);
    case Op::atan2:
      return std::atan2(a, b);
    case Op::minimum:
    case Op::both:
      return smaller(a, b);
    case Op::maximum:
    case Op::either:
      return larger(a, b);
    case Op::same_choice:
      return a == b ? 1 : -1;
    case Op::other_choice:
      return a == b ? -1 : 1;
    default:
      return compared(op, a, b);
  }
}

double of_curve(Op op, const curve::Curve& c, double a, double b) {
  switch (op) {
    case Op::curve_at:
      return curve::at(c, a);
    case Op::curve_width:
      return curve::width(c, a);
    case Op::curve_minimum:
      return curve::minimum(c, a, b);
    case Op::curve_maximum:
      return curve::maximum(c, a, b);
    case Op::curve_mean:
      return curve::mean(c, a, b);
    case Op::curve_argmin:
      return curve::argmin(c, a, b);
    default:
      return curve::argmax(c, a, b);
  }
}

/// One instruction for all lanes; `a` is its first operand and becomes its result, the others follow it.
void step(const Program& program, const Instruction& s, const Lanes& from, std::size_t lanes, double* a) {
  const double *b = a + lanes, *c = b + lanes;
  switch (s.op) {
    case Op::constant:
      std::fill_n(a, lanes, s.number);
      return;
    case Op::symbol:
      std::copy_n(from.numbers + std::ptrdiff_t(s.which) * from.stride, lanes, a);
      return;
    case Op::negate:
      for (std::size_t i = 0; i < lanes; ++i) a[i] = -a[i];
      return;
    case Op::function: {
      const auto f = functions_of_one()[s.which].value;
      for (std::size_t i = 0; i < lanes; ++i) a[i] = f(a[i]);
      return;
    }
    case Op::invert:
      for (std::size_t i = 0; i < lanes; ++i) a[i] = inverted(a[i]);
      return;
    case Op::choose:
      for (std::size_t i = 0; i < lanes; ++i) a[i] = std::isnan(a[i]) ? no_value : a[i] >= 0 ? b[i] : c[i];
      return;
    default:
      break;
  }
  if (s.op < Op::curve_at) {
    for (std::size_t i = 0; i < lanes; ++i) a[i] = of_two(s.op, a[i], b[i]);
    return;
  }
  const double* values = (*from.curves)[s.which];
  for (std::size_t i = 0; i < lanes; ++i)
    a[i] = of_curve(s.op, {program.axes[s.which], values + i, from.curve_stride}, a[i], b[i]);
}

}  // namespace

void Program::run(const Lanes& from, std::size_t lanes, double* out) const {
  // One operand more than the deepest: an instruction that takes fewer never looks at the others.
  std::array<double, 64> few;
  std::vector<double> many;
  double* stack = few.data();
  if ((depth + 2) * lanes > few.size()) {
    many.resize((depth + 2) * lanes);
    stack = many.data();
  }
  double* top = stack;  // the first free place
  for (const Instruction& s : steps) {
    top -= operands(s.op) * lanes;
    step(*this, s, from, lanes, top);
    top += lanes;
  }
  std::copy_n(stack, lanes, out);
}

}  // namespace renth
