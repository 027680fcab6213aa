#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <map>
#include <renth/error.hpp>
#include <renth/study/expression_parser.hpp>
#include <utility>

namespace renth {
namespace {

using Node = Expression::Node;

const std::map<std::string, std::string, std::less<>>& functions() {
  static const std::map<std::string, std::string, std::less<>> names = {
      {"sin", "sin"},    {"cos", "cos"},     {"tan", "tan"},   {"asin", "asin"},   {"acos", "acos"},
      {"atan", "atan"},  {"atan2", "atan2"}, {"sinh", "sinh"}, {"cosh", "cosh"},   {"tanh", "tanh"},
      {"exp", "exp"},    {"ln", "ln"},       {"log", "ln"},    {"log10", "log10"}, {"log2", "log2"},
      {"sqrt", "sqrt"},  {"abs", "abs"},     {"sign", "sign"}, {"min", "min"},     {"max", "max"},
      {"round", "rint"}, {"floor", "floor"}, {"ceil", "ceil"}};
  return names;
}
int arguments_of(std::string_view function) {
  return function == "min" || function == "max" ? -1 : function == "atan2" ? 2 : 1;
}
bool is_curve_function(std::string_view name) {
  for (const char* f : {"at", "min", "max", "mean", "argmin", "argmax", "width"})
    if (name == f) return true;
  return false;
}

/// Recursive descent over the text; builds nodes and compiles every number that stands alone.
class Parser {
 public:
  Parser(std::string_view text, const std::vector<Symbol>& symbols, std::vector<bool>& used,
         std::vector<std::string>& rendered, std::vector<CurveCall>& calls, std::string place)
      : text_(text),
        symbols_(symbols),
        used_(used),
        rendered_(rendered),
        calls_(calls),
        place_(std::move(place)) {}

  std::unique_ptr<Node> parse() {
    skip();
    if (at_ == text_.size()) fail("the expression is empty", "write one");
    auto root = ternary();
    skip();
    if (peek() == ',') fail("a comma outside a call", "write decimals with a point");
    if (at_ < text_.size()) fail(fmt::format("unexpected '{}'", text_[at_]), "check the operators before it");
    if (root->kind == Node::Kind::number) root->left = compile(root->arithmetic);
    return root;
  }

 private:
  using Ptr = std::unique_ptr<Node>;

  [[noreturn]] void fail(const std::string& problem, const std::string& remedy) const {
    fail_at(at_, problem, remedy);
  }
  [[noreturn]] void fail_at(std::size_t at, const std::string& problem, const std::string& remedy) const {
    throw Error(problem, fmt::format("{}: \"{}\", character {}", place_, text_, at + 1), remedy);
  }
  char peek(std::size_t ahead = 0) const { return at_ + ahead < text_.size() ? text_[at_ + ahead] : '\0'; }
  void skip() {
    while (std::isspace(static_cast<unsigned char>(peek()))) ++at_;
  }
  bool take(std::string_view token) {
    skip();
    if (text_.substr(at_, token.size()) != token) return false;
    at_ += token.size();
    return true;
  }
  int compile(const std::string& arithmetic) {
    rendered_.push_back(arithmetic);
    return static_cast<int>(rendered_.size()) - 1;
  }
  static Ptr number_node(std::string arithmetic) {
    auto n = std::make_unique<Node>();
    n->arithmetic = std::move(arithmetic);
    return n;
  }
  Ptr need_number(Ptr n, std::size_t at) const {
    if (n->is_condition())
      fail_at(at, "a comparison is used as a number", "choose numbers with  condition ? a : b");
    return n;
  }
  Ptr need_condition(Ptr n, std::size_t at) const {
    if (!n->is_condition())
      fail_at(at, "a condition is needed here, this is a number", "compare it with something");
    return n;
  }

  Ptr ternary() {
    skip();
    const std::size_t start = at_;
    Ptr a = either();
    if (!take("?")) return a;
    a = need_condition(std::move(a), start);
    Ptr b = ternary();
    if (!take(":")) fail("? without :", "write  condition ? a : b");
    Ptr c = ternary();
    if (b->is_condition() != c->is_condition())
      fail_at(start, "one side of : is a number, the other a condition", "make both the same");
    if (!b->is_condition())
      return number_node(fmt::format("({} ? {} : {})", render(*a), b->arithmetic, c->arithmetic));
    return join(Node::Kind::when, std::move(a), std::move(b), std::move(c));
  }
  static Ptr join(Node::Kind kind, Ptr a, Ptr b, Ptr c = nullptr) {
    auto n = std::make_unique<Node>();
    n->kind = kind;
    n->a = std::move(a);
    n->b = std::move(b);
    n->c = std::move(c);
    return n;
  }
  /// A condition as muParser's 0 or 1, for use inside a number.
  std::string render(const Node& n) const {
    switch (n.kind) {
      case Node::Kind::both:
        return fmt::format("({} && {})", render(*n.a), render(*n.b));
      case Node::Kind::either:
        return fmt::format("({} || {})", render(*n.a), render(*n.b));
      case Node::Kind::negate:
        return fmt::format("({} == 0)", render(*n.a));
      case Node::Kind::when:
        return fmt::format("({} ? {} : {})", render(*n.a), render(*n.b), render(*n.c));
      default:
        return fmt::format("({} {} {})", rendered_[n.left], n.op, rendered_[n.right]);
    }
  }
  Ptr either() {
    skip();
    const std::size_t start = at_;
    Ptr a = both();
    while (take("||")) {
      skip();
      const std::size_t second = at_;
      Ptr b = both();
      a = join(Node::Kind::either, need_condition(std::move(a), start), need_condition(std::move(b), second));
    }
    return a;
  }
  Ptr both() {
    skip();
    const std::size_t start = at_;
    Ptr a = comparison();
    while (take("&&")) {
      skip();
      const std::size_t second = at_;
      Ptr b = comparison();
      a = join(Node::Kind::both, need_condition(std::move(a), start), need_condition(std::move(b), second));
    }
    return a;
  }
  std::string comparison_operator() {
    for (const char* op : {"<=", ">=", "==", "!=", "<", ">"})
      if (take(op)) return op;
    skip();
    if (peek() == '=') fail("a single = assigns nothing here", "compare with ==");
    if (peek() == '&' || peek() == '|') fail("a single & or |", "write && or ||");
    return "";
  }
  Ptr comparison() {
    skip();
    const std::size_t start = at_;
    pending_text_.clear();
    Ptr a = sum();
    const std::string left_text = std::exchange(pending_text_, {});
    const int left_choice = last_choice_;
    if (peek_and_or()) return finish_text(std::move(a), left_text, start);
    const std::string op = comparison_operator();
    if (op.empty()) return finish_text(std::move(a), left_text, start);
    skip();
    const std::size_t second = at_;
    Ptr b = sum();
    const std::string right_text = std::exchange(pending_text_, {});
    const int right_choice = last_choice_;
    skip();
    const std::size_t third = at_;
    if (!peek_and_or() && !comparison_operator().empty())
      fail_at(third, "chained comparisons", "write  1 < a && a < 2");
    auto n = std::make_unique<Node>();
    n->kind = Node::Kind::compare;
    n->op = op;
    a = need_number(std::move(a), start);
    b = need_number(std::move(b), second);
    const bool left_is = left_choice >= 0 || !left_text.empty(),
               right_is = right_choice >= 0 || !right_text.empty();
    if (left_is || right_is) {
      if (op != "==" && op != "!=") fail_at(start, "choices have no order", "compare them with == or !=");
      if (!(left_is && right_is))
        fail_at(start, "a choice is compared with a number", "compare it with a name in quotes");
      if (!left_text.empty() && !right_text.empty())
        fail_at(start, "two texts are compared", "compare a choice with a text");
      n->of_choices = true;
      if (!right_text.empty()) b = number_node(choice_index(left_choice, right_text, second));
      if (!left_text.empty()) a = number_node(choice_index(right_choice, left_text, start));
    }
    n->left = compile(a->arithmetic);
    n->right = compile(b->arithmetic);
    last_choice_ = -1;
    return n;
  }
  bool peek_and_or() {
    skip();
    return (peek() == '&' && peek(1) == '&') || (peek() == '|' && peek(1) == '|');
  }
  Ptr finish_text(Ptr a, const std::string& text, std::size_t start) const {
    if (!text.empty())
      fail_at(start, "a text is used as a number", "compare a choice with it: hull == '" + text + "'");
    if (last_choice_ >= 0 && !a->is_condition())
      fail_at(start, symbols_[last_choice_].name + " is a choice and no number",
              "compare it with == and a name in quotes");
    return a;
  }
  std::string choice_index(int symbol, const std::string& text, std::size_t at) const {
    const auto& choices = symbols_[symbol].choices;
    const auto found = std::find(choices.begin(), choices.end(), text);
    if (found == choices.end()) {
      std::string known;
      for (const std::string& c : choices) known += (known.empty() ? "" : ", ") + c;
      fail_at(at, fmt::format("{} has no choice \"{}\"", symbols_[symbol].name, text), "use one of " + known);
    }
    return std::to_string(found - choices.begin());
  }

  /// Choices may only stand alone in a comparison.
  void no_choice(std::size_t at) const {
    if (last_choice_ >= 0)
      fail_at(at, symbols_[last_choice_].name + " is a choice and no number",
              "compare it with == and a name in quotes");
    if (!pending_text_.empty()) fail_at(at, "a text is used as a number", "compare a choice with it");
  }
  Ptr binary(Ptr a, char op, Ptr b, std::size_t start, std::size_t second) const {
    a = need_number(std::move(a), start);
    b = need_number(std::move(b), second);
    return number_node(fmt::format("({} {} {})", a->arithmetic, op, b->arithmetic));
  }
  Ptr sum() {
    skip();
    const std::size_t start = at_;
    last_choice_ = -1;
    Ptr a = product();
    for (;;) {
      skip();
      const char op = peek();
      if (op != '+' && op != '-') return a;
      no_choice(start);
      ++at_;
      skip();
      const std::size_t second = at_;
      Ptr b = product();
      no_choice(second);
      a = binary(std::move(a), op, std::move(b), start, second);
    }
  }
  Ptr product() {
    skip();
    const std::size_t start = at_;
    Ptr a = unary();
    for (;;) {
      skip();
      const char op = peek();
      if (op != '*' && op != '/') return a;
      if (peek(1) == '*') fail("** is not a power here", "write ^");
      no_choice(start);
      ++at_;
      skip();
      const std::size_t second = at_;
      Ptr b = unary();
      no_choice(second);
      a = binary(std::move(a), op, std::move(b), start, second);
    }
  }
  Ptr unary() {
    skip();
    const std::size_t start = at_;
    if (peek() == '!' && peek(1) != '=') {
      ++at_;
      Ptr inner = need_condition(unary(), start + 1);
      return join(Node::Kind::negate, std::move(inner), nullptr);
    }
    if (peek() == '-' || peek() == '+') {
      const char sign = text_[at_++];
      Ptr inner = need_number(unary(), start + 1);
      no_choice(start + 1);
      return sign == '+' ? std::move(inner) : number_node(fmt::format("(-{})", inner->arithmetic));
    }
    return power();
  }
  Ptr power() {
    skip();
    const std::size_t start = at_;
    Ptr base = primary();
    skip();
    if (peek() != '^') return base;
    no_choice(start);
    ++at_;
    skip();
    const std::size_t second = at_;
    Ptr exponent = unary();  // right to left: 2^3^2 = 2^9
    no_choice(second);
    return binary(std::move(base), '^', std::move(exponent), start, second);
  }
  Ptr primary() {
    skip();
    const std::size_t start = at_;
    const char c = peek();
    if (c == '(') {
      ++at_;
      Ptr inner = ternary();
      skip();
      if (peek() == ',') fail("a comma outside a call", "write decimals with a point");
      if (!take(")")) fail("a ( without )", "close it");
      return inner;
    }
    if (c == '\'' || c == '"') {
      const std::size_t end = text_.find(c, at_ + 1);
      if (end == std::string_view::npos) fail("a quote is not closed", "close it");
      pending_text_ = std::string(text_.substr(at_ + 1, end - at_ - 1));
      if (pending_text_.empty()) fail("an empty text", "name a choice");
      at_ = end + 1;
      return number_node("0");
    }
    if (std::isdigit(static_cast<unsigned char>(c)) || c == '.') {
      double value = 0;
      const auto [end, status] = std::from_chars(text_.data() + at_, text_.data() + text_.size(), value);
      if (status != std::errc() || !std::isfinite(value))
        fail("this is no number", "write it with digits and a point");
      at_ = static_cast<std::size_t>(end - text_.data());
      if (std::isalpha(static_cast<unsigned char>(peek())) || peek() == '_')
        fail_at(start, "a name cannot begin with a digit, nor a factor be written without *", "write 2 * x");
      return number_node(fmt::format("({:.17g})", value));
    }
    if (!std::isalpha(static_cast<unsigned char>(c)) && c != '_')
      fail(c ? fmt::format("unexpected '{}'", c) : "the expression ends too soon",
           "a number, a name or a bracket is needed here");
    std::string name;
    while (std::isalnum(static_cast<unsigned char>(peek())) || peek() == '_') name += text_[at_++];
    skip();
    if (peek() == '(') return call(name, start);
    return variable(name, start);
  }
  std::size_t symbol(const std::string& name, std::size_t at) const {
    for (std::size_t i = 0; i < symbols_.size(); ++i)
      if (symbols_[i].name == name) return i;
    std::string known;
    for (const Symbol& s : symbols_)
      if (!s.name.empty()) known += (known.empty() ? "" : ", ") + s.name;
    fail_at(at, fmt::format("nothing is called {}", name),
            known.empty() ? "no names are known here" : "known are " + known);
  }
  Ptr variable(const std::string& name, std::size_t at) {
    const std::size_t i = symbol(name, at);
    if (symbols_[i].kind == Symbol::Kind::curve)
      fail_at(at, name + " is a curve and no number",
              fmt::format("use at({0}, x), max({0}) or the like", name));
    used_[i] = true;
    if (symbols_[i].kind == Symbol::Kind::choice) last_choice_ = static_cast<int>(i);
    return number_node(fmt::format("v{}", i));
  }
  Ptr call(const std::string& name, std::size_t at) {
    ++at_;  // (
    skip();
    if (is_curve_function(name)) {
      const std::size_t argument = at_;
      std::string first;
      while (std::isalnum(static_cast<unsigned char>(peek())) || peek() == '_') first += text_[at_++];
      skip();
      for (std::size_t i = 0; i < symbols_.size() && (peek() == ',' || peek() == ')'); ++i)
        if (symbols_[i].name == first && symbols_[i].kind == Symbol::Kind::curve)
          return curve_call(name, i, at);
      at_ = argument;
      if (functions().count(name) == 0)
        fail("the first argument of " + name + " must be a curve", "name a response along an axis");
    }
    const auto known = functions().find(name);
    if (known == functions().end())
      fail_at(at, "no function is called " + name, "use sqrt, exp, ln, min, max and the like");
    std::vector<std::string> arguments;
    while (true) {
      skip();
      const std::size_t start = at_;
      Ptr argument = need_number(ternary(), start);
      no_choice(start);
      arguments.push_back(argument->arithmetic);
      if (take(")")) break;
      if (!take(",")) fail("a ( without )", "close it");
    }
    const int wanted = arguments_of(name);
    if (wanted > 0 && wanted != static_cast<int>(arguments.size()))
      fail_at(at, fmt::format("{} takes {} argument{}", name, wanted, wanted > 1 ? "s" : ""),
              "count the commas");
    std::string text = known->second + "(";
    for (std::size_t i = 0; i < arguments.size(); ++i) text += (i ? "," : "") + arguments[i];
    last_choice_ = -1;
    return number_node(text + ")");
  }
  /// A plain number that is no place on the axis is told now and not at every point.
  void on_axis(std::size_t curve, std::size_t start) {
    double x = 0;
    const char* const end = text_.data() + at_;
    const auto [stop, error] = std::from_chars(text_.data() + start, end, x);
    if (error != std::errc() || stop != end) return;
    const std::vector<double>& axis = symbols_[curve].axis;
    if (!(x >= axis.front() && x <= axis.back()))
      fail_at(start, fmt::format("{} is outside the axis of {}", x, symbols_[curve].name),
              fmt::format("stay within {} … {}", axis.front(), axis.back()));
  }
  Ptr curve_call(const std::string& name, std::size_t curve, std::size_t at) {
    CurveCall c{name, curve, {}};
    while (!take(")")) {
      if (!take(",")) fail("a ( without )", "close it");
      skip();
      const std::size_t start = at_;
      Ptr argument = need_number(ternary(), start);
      no_choice(start);
      if (name != "width") on_axis(curve, start);
      c.arguments.push_back(compile(argument->arithmetic));
    }
    const bool one = name == "at" || name == "width";
    const std::size_t count = c.arguments.size();
    if (one ? count != 1 : count != 0 && count != 2)
      fail_at(at,
              fmt::format("{} takes a curve and {}", name, one ? "one number" : "nothing else, or two ends"),
              one ? "write at(curve, x)" : "write max(curve) or max(curve, low, high)");
    used_[curve] = true;
    calls_.push_back(c);
    last_choice_ = -1;
    return number_node(fmt::format("v{}", symbols_.size() + calls_.size() - 1));
  }

  std::string_view text_;
  const std::vector<Symbol>& symbols_;
  std::vector<bool>& used_;
  std::vector<std::string>& rendered_;
  std::vector<CurveCall>& calls_;
  std::string place_;
  std::size_t at_ = 0;
  std::string pending_text_;  // a quoted text waiting for its comparison
  int last_choice_ = -1;      // a choice waiting for its comparison
};

}  // namespace

ParsedExpression parse_expression(std::string_view text, const std::vector<Symbol>& symbols,
                                  const std::string& place) {
  ParsedExpression out;
  out.used.assign(symbols.size(), false);
  out.root = Parser(text, symbols, out.used, out.numbers, out.calls, place).parse();
  return out;
}

}  // namespace renth
