#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <renth/base/names.hpp>
#include <renth/expression/curve.hpp>
#include <renth/expression/parser.hpp>
#include <renth/expression/reader.hpp>
#include <utility>

namespace renth {
namespace {

struct CurveFunction {
  std::string_view name;
  Op op;
  bool takes_one;  ///< a number; else nothing, or two ends
};
constexpr CurveFunction curve_functions[] = {
    {"at", Op::curve_at, true},          {"width", Op::curve_width, true},
    {"min", Op::curve_minimum, false},   {"max", Op::curve_maximum, false},
    {"mean", Op::curve_mean, false},     {"argmin", Op::curve_argmin, false},
    {"argmax", Op::curve_argmax, false},
};

struct Comparison {
  std::string_view token;
  Op op;
};
constexpr Comparison comparisons[] = {{"<=", Op::less_equal}, {">=", Op::greater_equal}, {"==", Op::equal},
                                      {"!=", Op::unequal},    {"<", Op::less},           {">", Op::greater}};

/// Recursive descent over the text; every operand's instructions are there when it has been read.
class ExpressionParser {
 public:
  ExpressionParser(std::string_view text, const std::vector<Symbol>& symbols, const std::string& place)
      : read_(text, place), symbols_(symbols) {
    out_.used.assign(symbols.size(), false);
    out_.program.axes.resize(symbols.size());
    for (std::size_t i = 0; i < symbols.size(); ++i) out_.program.axes[i] = symbols[i].axis;
  }

  ParsedExpression parse() {
    read_.skip_blanks();
    if (read_.ended()) read_.fail("the expression is empty", "write one");
    const Operand root = settled(ternary());
    read_.skip_blanks();
    if (read_.peek() == ',') read_.fail("a comma outside a call", "write decimals with a point");
    if (!read_.ended())
      read_.fail(fmt::format("unexpected '{}'", read_.character()), "check the operators before it");
    out_.condition = root.is == Operand::Is::condition;
    return std::move(out_);
  }

 private:
  /// What was read last; its instructions leave one number.
  struct Operand {
    enum class Is { number, condition, choice, text } is = Is::number;
    std::size_t at = 0;      ///< where it begins
    std::size_t symbol = 0;  ///< of a choice
    std::size_t step = 0;    ///< of a text: the constant that stands for it
    std::string text;
  };
  using Is = Operand::Is;

  /// Counts how deep it is nested.
  class Nested {
   public:
    explicit Nested(ExpressionParser& parser) : parser_(parser) {
      if (++parser_.nested_ > Expression::most_nested)
        parser_.read_.fail(
            fmt::format("brackets, calls or signs nested more than {} deep", Expression::most_nested),
            "write it flatter, or in several derived responses");
    }
    ~Nested() { --parser_.nested_; }
    Nested(const Nested&) = delete;
    Nested& operator=(const Nested&) = delete;

   private:
    ExpressionParser& parser_;
  };

  std::size_t emit(Op op, std::size_t which = 0, double number = 0) {
    out_.program.steps.push_back({op, which, number});
    height_ += 1 - std::ptrdiff_t(operands(op));
    out_.program.depth = std::max(out_.program.depth, std::size_t(height_));
    return out_.program.steps.size() - 1;
  }
  Operand number(std::size_t at) const { return {Is::number, at, 0, 0, {}}; }
  Operand condition(std::size_t at) const { return {Is::condition, at, 0, 0, {}}; }
  std::size_t here() {
    read_.skip_blanks();
    return read_.at();
  }

  void need_number(const Operand& a) const {
    settled(a);
    if (a.is == Is::condition)
      read_.fail_at(a.at, "a comparison is used as a number", "choose numbers with  condition ? a : b");
  }
  void need_condition(const Operand& a) const {
    settled(a);
    if (a.is == Is::number)
      read_.fail_at(a.at, "a condition is needed here, this is a number", "compare it with something");
  }
  /// Choices and texts may only stand alone in a comparison.
  const Operand& settled(const Operand& a) const {
    if (a.is == Is::choice)
      read_.fail_at(a.at, symbols_[a.symbol].name + " is a choice and no number",
                    "compare it with == and a name in quotes");
    if (a.is == Is::text)
      read_.fail_at(a.at, "a text is used as a number",
                    fmt::format("compare a choice with it: hull == '{}'", a.text));
    return a;
  }

  Operand ternary() {
    const Nested nested(*this);
    const std::size_t start = here();
    Operand a = either();
    if (!read_.take("?")) return a;
    need_condition(a);
    const Operand b = settled(ternary());
    if (!read_.take(":")) read_.fail("? without :", "write  condition ? a : b");
    const Operand c = settled(ternary());
    if (b.is != c.is)
      read_.fail_at(start, "one side of : is a number, the other a condition", "make both the same");
    emit(Op::choose);
    return b.is == Is::condition ? condition(start) : number(start);
  }
  Operand either() { return joined("||", Op::either, &ExpressionParser::both); }
  Operand both() { return joined("&&", Op::both, &ExpressionParser::comparison); }
  Operand joined(std::string_view token, Op op, Operand (ExpressionParser::*part)()) {
    Operand a = (this->*part)();
    while (read_.take(token)) {
      need_condition(a);
      need_condition((this->*part)());
      emit(op);
    }
    return a;
  }

  const Comparison* comparison_operator() {
    for (const Comparison& c : comparisons)
      if (read_.take(c.token)) return &c;
    read_.skip_blanks();
    if (read_.peek() == '=') read_.fail("a single = assigns nothing here", "compare with ==");
    for (const char c : {'&', '|'})
      if (read_.peek() == c && read_.peek(1) != c) read_.fail("a single & or |", "write && or ||");
    return nullptr;
  }
  Operand comparison() {
    const Operand a = sum();
    const Comparison* c = comparison_operator();
    if (!c) return a;
    const Operand b = sum();
    const std::size_t third = here();
    if (comparison_operator()) read_.fail_at(third, "chained comparisons", "write  1 < a && a < 2");
    const auto named = [](const Operand& o) { return o.is == Is::choice || o.is == Is::text; };
    if (!named(a) && !named(b)) {
      need_number(a);
      need_number(b);
      emit(c->op);
    } else {
      compare_choices(a, b, c->op);
    }
    return condition(a.at);
  }
  void compare_choices(const Operand& a, const Operand& b, Op op) {
    if (op != Op::equal && op != Op::unequal)
      read_.fail_at(a.at, "choices have no order", "compare them with == or !=");
    for (const Operand* o : {&a, &b})
      if (o->is == Is::number || o->is == Is::condition)
        read_.fail_at(a.at, "a choice is compared with a number", "compare it with a name in quotes");
    if (a.is == Is::text && b.is == Is::text)
      read_.fail_at(a.at, "two texts are compared", "compare a choice with a text");
    if (a.is == Is::text) resolve(a, b.symbol);
    if (b.is == Is::text) resolve(b, a.symbol);
    emit(op == Op::equal ? Op::same_choice : Op::other_choice);
  }
  /// Puts the number of a choice where its name was read.
  void resolve(const Operand& text, std::size_t symbol) {
    const auto& choices = symbols_[symbol].choices;
    const auto found = std::find(choices.begin(), choices.end(), text.text);
    if (found == choices.end())
      read_.fail_at(text.at, fmt::format("unknown {} \"{}\"", symbols_[symbol].name, text.text),
                    instead_of(text.text, choices));
    out_.program.steps[text.step].number = double(found - choices.begin());
  }

  void arithmetic(const Operand& a, Op op, const Operand& b) {
    need_number(a);
    need_number(b);
    emit(op);
  }
  Operand sum() {
    Operand a = product();
    for (;;) {
      read_.skip_blanks();
      const char op = read_.peek();
      if (op != '+' && op != '-') return a;
      read_.pass();
      arithmetic(a, op == '+' ? Op::add : Op::subtract, product());
    }
  }
  Operand product() {
    Operand a = unary();
    for (;;) {
      read_.skip_blanks();
      const char op = read_.peek();
      if (op != '*' && op != '/') return a;
      if (read_.peek(1) == '*') read_.fail("** is not a power here", "write ^");
      read_.pass();
      arithmetic(a, op == '*' ? Op::multiply : Op::divide, unary());
    }
  }
  Operand unary() {
    const Nested nested(*this);
    const std::size_t start = here();
    const char c = read_.peek();
    if (c == '!' && read_.peek(1) != '=') {
      read_.pass();
      need_condition(unary());
      emit(Op::invert);
      return condition(start);
    }
    if (c != '-' && c != '+') return power();
    read_.pass();
    need_number(unary());
    if (c == '-') emit(Op::negate);
    return number(start);
  }
  Operand power() {
    Operand base = primary();
    read_.skip_blanks();
    if (read_.peek() != '^') return base;
    read_.pass();
    arithmetic(base, Op::power, unary());  // right to left: 2^3^2 = 2^9
    return base;
  }

  Operand primary() {
    const std::size_t start = here();
    const char c = read_.peek();
    if (c == '(') return bracket();
    if (c == '\'' || c == '"') {
      Operand text{Is::text, start, 0, 0, read_.quoted()};
      text.step = emit(Op::constant);
      return text;
    }
    if (std::isdigit(static_cast<unsigned char>(c)) || c == '.') {
      emit(Op::constant, 0, read_.number());
      return number(start);
    }
    const std::string_view name = read_.name();
    if (name.empty())
      read_.fail(c ? fmt::format("unexpected '{}'", read_.character()) : "the expression ends too soon",
                 "a number, a name or a bracket is needed here");
    read_.skip_blanks();
    return read_.peek() == '(' ? call(name, start) : variable(name, start);
  }
  Operand bracket() {
    read_.pass();
    Operand inner = ternary();
    read_.skip_blanks();
    if (read_.peek() == ',') read_.fail("a comma outside a call", "write decimals with a point");
    if (!read_.take(")")) read_.fail("a ( without )", "close it");
    return inner;
  }
  std::size_t find_symbol(std::string_view name) const {
    const auto found =
        std::find_if(symbols_.begin(), symbols_.end(), [&](const Symbol& s) { return s.name == name; });
    return std::size_t(found - symbols_.begin());
  }
  Operand variable(std::string_view name, std::size_t at) {
    const std::size_t i = find_symbol(name);
    if (i == symbols_.size()) {
      std::vector<std::string> known;
      for (const Symbol& s : symbols_)
        if (!s.name.empty()) known.push_back(s.name);
      read_.fail_at(at, fmt::format("unknown name {}", name), instead_of(name, known));
    }
    if (symbols_[i].kind == Symbol::Kind::curve)
      read_.fail_at(at, fmt::format("{} is a curve and no number", name),
                    fmt::format("use at({0}, x), max({0}) or the like", name));
    out_.used[i] = true;
    emit(Op::symbol, i);
    return {symbols_[i].kind == Symbol::Kind::choice ? Is::choice : Is::number, at, i, 0, {}};
  }

  Operand call(std::string_view name, std::size_t at) {
    read_.pass();  // (
    const auto* of_curve = std::find_if(std::begin(curve_functions), std::end(curve_functions),
                                        [&](const CurveFunction& f) { return f.name == name; });
    const bool known_of_numbers = name == "min" || name == "max";
    if (of_curve != std::end(curve_functions)) {
      const std::size_t argument = here();
      const std::size_t i = find_symbol(read_.name());
      read_.skip_blanks();
      const bool alone = read_.peek() == ',' || read_.peek() == ')';
      if (alone && i < symbols_.size() && symbols_[i].kind == Symbol::Kind::curve)
        return curve_call(*of_curve, i, at);
      read_.go_to(argument);
      if (!known_of_numbers)
        read_.fail(fmt::format("the first argument of {} must be a curve", name),
                   "name a response along an axis");
    }
    return known_of_numbers ? smallest_or_largest(name, at) : function_call(name, at);
  }
  void argument() { need_number(ternary()); }
  /// Further arguments, each after a comma, up to the closing bracket; returns how many.
  template <class Each>
  std::size_t arguments(const Each& each) {
    std::size_t count = 0;
    for (; !read_.take(")"); ++count) {
      if (!read_.take(",")) read_.fail("a ( without )", "close it");
      each();
    }
    return count;
  }
  Operand smallest_or_largest(std::string_view name, std::size_t at) {
    argument();
    arguments([&] {
      argument();
      emit(name == "min" ? Op::minimum : Op::maximum);
    });
    return number(at);
  }
  static std::string instead_of_function(std::string_view name) {
    std::vector<std::string> known = {"atan2", "min", "max"};
    for (const FunctionOfOne& f : functions_of_one()) known.emplace_back(f.name);
    return instead_of(name, known);
  }
  Operand function_call(std::string_view name, std::size_t at) {
    const auto& table = functions_of_one();
    const auto found =
        std::find_if(table.begin(), table.end(), [&](const FunctionOfOne& f) { return f.name == name; });
    const bool two = name == "atan2";
    if (found == table.end() && !two)
      read_.fail_at(at, fmt::format("unknown function {}", name), instead_of_function(name));
    argument();
    const std::size_t count = 1 + arguments([&] { argument(); });
    if (count != (two ? 2 : 1))
      read_.fail_at(at, fmt::format("{} takes {}", name, two ? "2 arguments" : "1 argument"),
                    "count the commas");
    emit(two ? Op::atan2 : Op::function, std::size_t(found - table.begin()));
    return number(at);
  }
  Operand curve_call(const CurveFunction& function, std::size_t curve, std::size_t at) {
    const std::vector<double>& axis = symbols_[curve].axis;
    if (axis.empty())
      read_.fail_at(at, symbols_[curve].name + " is a curve without a point", "give its axis points");
    std::size_t count = arguments([&] {
      const std::size_t start = here();
      argument();
      // A plain number that is no place on the axis is told now and not at every point.
      const auto x = read_.number_since(start);
      if (function.op != Op::curve_width && x && !curve::reaches(axis, *x))
        read_.fail_at(start, fmt::format("{} is outside the axis of {}", *x, symbols_[curve].name),
                      fmt::format("stay within {} … {}", axis.front(), axis.back()));
    });
    if (function.takes_one ? count != 1 : count != 0 && count != 2)
      read_.fail_at(at,
                    fmt::format("{} takes a curve and {}", function.name,
                                function.takes_one ? "one number" : "nothing else, or two ends"),
                    function.takes_one ? "write at(curve, x)" : "write max(curve) or max(curve, low, high)");
    if (!function.takes_one && count == 0)
      for (const double end : {axis.front(), axis.back()}) emit(Op::constant, 0, end);
    out_.used[curve] = true;
    emit(function.op, curve);
    return number(at);
  }

  ExpressionReader read_;
  const std::vector<Symbol>& symbols_;
  ParsedExpression out_;
  std::ptrdiff_t height_ = 0;  // of the stack
  int nested_ = 0;
};

}  // namespace

ParsedExpression parse_expression(std::string_view text, const std::vector<Symbol>& symbols,
                                  const std::string& place) {
  return ExpressionParser(text, symbols, place).parse();
}

}  // namespace renth
