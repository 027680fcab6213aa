#include <fmt/format.h>
#include <muParser.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <limits>
#include <map>
#include <mutex>
#include <renth/error.hpp>
#include <renth/study/expression_parser.hpp>

namespace renth {

namespace {

using Node = Expression::Node;

/// One muParser a thread at a time: it holds its own variables and is not re-entrant.
struct Instance {
  mu::Parser parser;
  std::vector<double> values;
};

/// A compiled arithmetic text with as many parser instances as were ever needed at once.
class Number {
 public:
  Number(std::string text, std::size_t variables) : text_(std::move(text)), variables_(variables) {
    put(make());
  }
  double operator()(const std::vector<double>& values) const {
    std::unique_ptr<Instance> instance = get();
    std::copy(values.begin(), values.end(), instance->values.begin());
    const double result = instance->parser.Eval();
    put(std::move(instance));
    return result;
  }

 private:
  std::unique_ptr<Instance> make() const {
    auto instance = std::make_unique<Instance>();
    instance->values.resize(variables_);
    mu::Parser& p = instance->parser;
    p.DefineFun("floor", [](double x) { return std::floor(x); });
    p.DefineFun("ceil", [](double x) { return std::ceil(x); });
    for (std::size_t i = 0; i < variables_; ++i) p.DefineVar(fmt::format("v{}", i), &instance->values[i]);
    p.SetExpr(text_);
    return instance;
  }
  std::unique_ptr<Instance> get() const {
    const std::lock_guard lock(mutex_);
    if (free_.empty()) return make();
    auto instance = std::move(free_.back());
    free_.pop_back();
    return instance;
  }
  void put(std::unique_ptr<Instance> instance) const {
    const std::lock_guard lock(mutex_);
    free_.push_back(std::move(instance));
  }
  std::string text_;
  std::size_t variables_;
  mutable std::mutex mutex_;
  mutable std::vector<std::unique_ptr<Instance>> free_;
};

}  // namespace

struct Expression::Implementation {
  std::string text, place;
  std::vector<Symbol> symbols;
  std::vector<bool> used;
  std::vector<std::unique_ptr<Number>> numbers;
  std::vector<CurveCall> calls;
  std::unique_ptr<Node> root;
  std::size_t variables() const { return symbols.size() + calls.size(); }

  std::vector<double> fill(const Bindings& b) const {
    std::vector<double> values(variables(), 0);
    for (std::size_t i = 0; i < symbols.size(); ++i)
      if (used[i] && symbols[i].kind != Symbol::Kind::curve) values[i] = b.numbers[i];
    for (std::size_t k = 0; k < calls.size(); ++k) values[symbols.size() + k] = call(calls[k], b, values);
    return values;
  }
  double call(const CurveCall& c, const Bindings& b, const std::vector<double>& values) const {
    const std::vector<double>& axis = symbols[c.symbol].axis;
    const Eigen::VectorXd& y = (*b.curves)[c.symbol];
    std::vector<double> arguments;
    for (const int n : c.arguments) arguments.push_back((*numbers[n])(values));
    const double low = arguments.size() == 2 ? arguments[0] : axis.front();
    const double high = arguments.size() == 2 ? arguments[1] : axis.back();
    if (c.function == "at") return curve::at(axis, y, arguments[0]);
    if (c.function == "width") return curve::width(axis, y, arguments[0]);
    if (c.function == "min") return curve::minimum(axis, y, low, high);
    if (c.function == "max") return curve::maximum(axis, y, low, high);
    if (c.function == "mean") return curve::mean(axis, y, low, high);
    if (c.function == "argmin") return curve::argmin(axis, y, low, high);
    return curve::argmax(axis, y, low, high);
  }
  double number(int index, const std::vector<double>& values) const {
    const double result = (*numbers[index])(values);
    if (std::isfinite(result)) return result;
    throw Error(
        "the result is not a finite number", fmt::format("{}: \"{}\"", place, text),
        "look for a division by zero, or a root or logarithm of a negative number, somewhere in the region");
  }
  double margin(const Node& n, const std::vector<double>& values) const {
    switch (n.kind) {
      case Node::Kind::both:
        return std::min(margin(*n.a, values), margin(*n.b, values));
      case Node::Kind::either:
        return std::max(margin(*n.a, values), margin(*n.b, values));
      case Node::Kind::negate: {
        const double m = margin(*n.a, values);
        return m > 0 ? -m : m < 0 ? -m : -std::numeric_limits<double>::min();
      }
      case Node::Kind::when:
        return margin(margin(*n.a, values) >= 0 ? *n.b : *n.c, values);
      default:
        break;
    }
    const double l = number(n.left, values), r = number(n.right, values);
    if (n.of_choices) return (l == r) == (n.op == "==") ? 1 : -1;
    double difference = n.op[0] == '<' ? r - l : l - r;
    if (std::abs(difference) <= 1e-9 * std::max(std::abs(l), std::abs(r))) difference = 0;
    if (n.op == "==") return -std::abs(difference);
    const bool strict = n.op == "<" || n.op == ">" || n.op == "!=";
    if (n.op == "!=") difference = std::abs(difference);
    return strict && difference == 0 ? -std::numeric_limits<double>::min() : difference;
  }
};

Expression::Expression(std::string_view text, std::vector<Symbol> symbols, const std::string& place)
    : implementation_(std::make_unique<Implementation>()) {
  Implementation& i = *implementation_;
  i.text = std::string(text);
  i.place = place;
  i.symbols = std::move(symbols);
  ParsedExpression parsed = parse_expression(i.text, i.symbols, place);
  i.used = std::move(parsed.used);
  i.calls = std::move(parsed.calls);
  i.root = std::move(parsed.root);
  try {
    for (const std::string& arithmetic : parsed.numbers)
      i.numbers.push_back(std::make_unique<Number>(arithmetic, i.variables()));
  } catch (const mu::Parser::exception_type& e) {
    throw Error("the expression cannot be compiled: " + e.GetMsg(), place, "simplify it");
  }
}

Expression::~Expression() = default;
Expression::Expression(Expression&&) noexcept = default;
Expression& Expression::operator=(Expression&&) noexcept = default;

const std::string& Expression::text() const {
  return implementation_->text;
}
bool Expression::is_condition() const {
  return implementation_->root->is_condition();
}
bool Expression::uses(std::size_t symbol) const {
  return implementation_->used[symbol];
}

double Expression::value(const Bindings& bindings) const {
  const Implementation& i = *implementation_;
  if (is_condition()) throw Error("a condition is used as a number", i.place, "write  condition ? a : b");
  return i.number(i.root->left, i.fill(bindings));
}

double Expression::margin(const Bindings& bindings) const {
  const Implementation& i = *implementation_;
  if (!is_condition()) throw Error("a number is used as a condition", i.place, "compare it with something");
  return i.margin(*i.root, i.fill(bindings));
}

}  // namespace renth
