#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>
#include <renth/base/error.hpp>
#include <renth/export/tape_expression.hpp>

namespace renth {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {

constexpr double no_value = std::numeric_limits<double>::quiet_NaN();
constexpr double hair = std::numeric_limits<double>::min();

/// The tape's step for a function of one number.
Tape::Op function_on_tape(std::string_view name) {
  using Op = Tape::Op;
  static const std::pair<std::string_view, Op> table[] = {
      {"sin", Op::sin},     {"cos", Op::cos},     {"tan", Op::tan},     {"asin", Op::asin},
      {"acos", Op::acos},   {"atan", Op::atan},   {"sinh", Op::sinh},   {"cosh", Op::cosh},
      {"tanh", Op::tanh},   {"exp", Op::exp},     {"ln", Op::log},      {"log", Op::log},
      {"log10", Op::log10}, {"log2", Op::log2},   {"sqrt", Op::sqrt},   {"abs", Op::absolute},
      {"sign", Op::sign},   {"round", Op::round}, {"floor", Op::floor}, {"ceil", Op::ceil}};
  for (const auto& [known, op] : table)
    if (known == name) return op;
  throw Error("the function " + std::string(name) + " cannot be exported", "derive", "export model takes it");
}

/// The smaller of two; NaN if either is.
TapeVector smaller(TapeVector a, TapeVector b) {
  Tape& tape = a.tape();
  return tape.choose(less(a, b), a, tape.choose(not_above(b, a), b, a + b));
}

/// What is not finite becomes NaN.
TapeVector finite(TapeVector a) {
  return a + (a - a);
}

/// As compared() of a program: by how much a comparison holds (≥ 0) or fails.
TapeVector compared(Op op, TapeVector l, TapeVector r) {
  Tape& tape = l.tape();
  l = finite(l);
  r = finite(r);
  const TapeVector zero = tape.constant(0);
  TapeVector d = op == Op::less || op == Op::less_equal ? r - l : l - r;
  const TapeVector left = absolute(l), right = absolute(r);
  const TapeVector size = tape.choose(less(left, right), right, left);
  d = tape.choose(not_above(absolute(d), 1e-9 * size), zero, d);
  if (op == Op::equal) return -1.0 * absolute(d);
  if (op == Op::unequal) d = absolute(d);
  const bool strict = op == Op::less || op == Op::greater || op == Op::unequal;
  return strict ? tape.choose(equal(d, zero), tape.constant(-hair), d) : d;
}

/// A curve that is linear between its axis points, as the weights that its values have at one place.
class Line {
 public:
  Line(const std::vector<double>& axis, TapeVector curve) : axis_(axis), curve_(curve) {}

  bool reaches(double x) const { return x >= axis_.front() && x <= axis_.back(); }
  VectorXd weights(double x) const {
    VectorXd out = VectorXd::Zero(Index(axis_.size()));
    if (!reaches(x)) return VectorXd::Constant(out.size(), no_value);
    const auto right = std::size_t(std::lower_bound(axis_.begin(), axis_.end(), x) - axis_.begin());
    if (axis_[right] == x) {
      out[Index(right)] = 1;
      return out;
    }
    const double t = (x - axis_[right - 1]) / (axis_[right] - axis_[right - 1]);
    out[Index(right) - 1] = 1 - t;
    out[Index(right)] = t;
    return out;
  }
  /// The corners between two places, ends included: where they are, and their values.
  struct Corners {
    std::vector<double> x;
    TapeVector y;
  };
  Corners corners(double low, double high) const {
    Corners out;
    out.x.push_back(low);
    for (const double x : axis_)
      if (x > low && x < high) out.x.push_back(x);
    if (high > low) out.x.push_back(high);
    MatrixXd weights(Index(out.x.size()), Index(axis_.size()));
    for (std::size_t i = 0; i < out.x.size(); ++i)
      weights.row(Index(i)) = this->weights(out.x[i]).transpose();
    out.y = curve_.tape().affine(weights, curve_);
    return out;
  }
  /// The value at a place that is worked out.
  TapeVector at(TapeVector x) const {
    Tape& tape = x.tape();
    const auto n = Index(axis_.size());
    TapeVector out = tape.constant(no_value);
    const TapeVector last = tape.gather(curve_, {int(n) - 1});
    out = tape.choose(equal(x, tape.constant(axis_.back())), last, out);
    for (Index i = n - 2; i >= 0; --i) {
      const double a = axis_[std::size_t(i)], b = axis_[std::size_t(i) + 1];
      const TapeVector t = (x - a) / tape.constant(b - a);
      const TapeVector here =
          tape.gather(curve_, {int(i)}) * (tape.constant(1) - t) + tape.gather(curve_, {int(i) + 1}) * t;
      out = tape.choose(less(x, tape.constant(b)), here, out);
    }
    return tape.choose(less(x, tape.constant(axis_.front())), tape.constant(no_value), out);
  }
  /// The length of the axis where the curve is at or above a level.
  TapeVector width(TapeVector level) const {
    Tape& tape = level.tape();
    const auto n = Index(axis_.size());
    if (n < 2) return tape.constant(0);
    std::vector<int> left, right;
    VectorXd step(n - 1);
    for (Index i = 0; i + 1 < n; ++i) {
      left.push_back(int(i));
      right.push_back(int(i) + 1);
      step[i] = axis_[std::size_t(i) + 1] - axis_[std::size_t(i)];
    }
    const TapeVector zero = tape.constant(0), a = tape.gather(curve_, left) - level,
                     b = tape.gather(curve_, right) - level;
    const TapeVector above = not_above(zero, a), there = not_above(zero, b);
    const TapeVector most = tape.choose(less(a, b), b, a);
    const TapeVector part = most / absolute(a - b);
    TapeVector share = tape.choose(above * there, tape.constant(1), tape.choose(above + there, part, zero));
    share = share + ((a - a) + (b - b));  // NaN where one is missing
    return sum(share * tape.constant(step));
  }

 private:
  const std::vector<double>& axis_;
  TapeVector curve_;
};

/// The first of the largest corners of sign·curve: where it is and its value; NaN if one is missing.
struct Extreme {
  TapeVector x, y;
};
Extreme extreme(const Line::Corners& corners, double sign) {
  Tape& tape = corners.y.tape();
  TapeVector best = tape.gather(corners.y, {0}), place = tape.constant(corners.x[0]);
  for (std::size_t i = 1; i < corners.x.size(); ++i) {
    const TapeVector here = tape.gather(corners.y, {int(i)});
    const TapeVector better = sign > 0 ? less(best, here) : less(here, best);
    best = tape.choose(better, here, best);
    place = tape.choose(better, tape.constant(corners.x[i]), place);
  }
  const TapeVector missing = sum(corners.y - corners.y);
  return {place + missing, best + missing};
}

TapeVector mean(const Line::Corners& corners, double low, double high) {
  Tape& tape = corners.y.tape();
  if (!(high > low)) return tape.gather(corners.y, {0});
  const auto n = Index(corners.x.size());
  VectorXd weight = VectorXd::Zero(n);
  for (Index i = 1; i < n; ++i) {
    const double half = 0.5 * (corners.x[std::size_t(i)] - corners.x[std::size_t(i) - 1]) / (high - low);
    weight[i - 1] += half;
    weight[i] += half;
  }
  return tape.affine(weight.transpose(), corners.y);
}

/// A number on the stack, which may be known while the tape is written.
struct Operand {
  TapeVector vector;
  std::optional<double> known = {};
};

TapeVector of_curve(Op op, const Line& line, const Operand& a, const Operand& b) {
  if (op == Op::curve_at) {
    if (!a.known) return line.at(a.vector);
    return line.corners(*a.known, *a.known).y;
  }
  if (op == Op::curve_width) return line.width(a.vector);
  if (!a.known || !b.known)
    throw Error(
        "a curve's minimum, maximum or mean between ends that depend on the setting cannot be exported",
        "derive", "give the ends as numbers, or export model, which takes it");
  const Line::Corners corners = line.corners(*a.known, *b.known);
  switch (op) {
    case Op::curve_minimum:
      return extreme(corners, -1).y;
    case Op::curve_maximum:
      return extreme(corners, 1).y;
    case Op::curve_argmin:
      return extreme(corners, -1).x;
    case Op::curve_argmax:
      return extreme(corners, 1).x;
    default:
      return mean(corners, *a.known, *b.known);
  }
}

TapeVector of_numbers(Op op, TapeVector a, TapeVector b) {
  Tape& tape = a.tape();
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
      return tape.of_two(Tape::Op::power, a, b);
    case Op::atan2:
      return tape.of_two(Tape::Op::atan2, a, b);
    case Op::minimum:
    case Op::both:
      return smaller(a, b);
    case Op::maximum:
    case Op::either:
      return -1.0 * smaller(-1.0 * a, -1.0 * b);
    case Op::same_choice:
      return tape.choose(equal(a, b), tape.constant(1), tape.constant(-1));
    case Op::other_choice:
      return tape.choose(equal(a, b), tape.constant(-1), tape.constant(1));
    default:
      return compared(op, a, b);
  }
}

}  // namespace

TapeVector expression_on_tape(const Expression& expression, Tape& tape,
                              const std::function<TapeVector(std::size_t)>& of_symbol) {
  const Program& program = expression.program();
  std::vector<Operand> stack;
  for (const Instruction& s : program.steps) {
    std::vector<Operand> from(stack.end() - std::ptrdiff_t(operands(s.op)), stack.end());
    stack.resize(stack.size() - from.size());
    const auto vector = [&](std::size_t i) { return from[i].vector; };
    Operand out;
    switch (s.op) {
      case Op::constant:
        out = {tape.constant(s.number), s.number};
        break;
      case Op::symbol:
        out.vector = of_symbol(s.which);
        break;
      case Op::negate:
        out.vector = tape.of_one(Tape::Op::negate, vector(0));
        if (from[0].known) out.known = -*from[0].known;
        break;
      case Op::function:
        out.vector = tape.of_one(function_on_tape(functions_of_one()[s.which].name), vector(0));
        break;
      case Op::invert:
        out.vector = tape.choose(equal(vector(0), tape.constant(0)), tape.constant(-hair), -1.0 * vector(0));
        break;
      case Op::choose: {
        // Of no number none; else what the margin says.
        const TapeVector chosen = tape.choose(not_above(tape.constant(0), vector(0)), vector(1), vector(2));
        const TapeVector is_number = not_above(vector(0), vector(0));
        out.vector = tape.choose(is_number, chosen, tape.constant(no_value));
        break;
      }
      default:
        out.vector = s.op < Op::curve_at ? of_numbers(s.op, vector(0), vector(1))
                                         : of_curve(s.op, Line(program.axes[s.which], of_symbol(s.which)),
                                                    from[0], from.size() > 1 ? from[1] : from[0]);
    }
    stack.push_back(out);
  }
  return finite(stack.at(0).vector);
}

}  // namespace renth
