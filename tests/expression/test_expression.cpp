#include <doctest/doctest.h>

#include <cmath>
#include <map>
#include <renth/base/error.hpp>
#include <renth/expression/expression.hpp>
#include <thread>

using namespace renth;

namespace {

const std::vector<Symbol> symbols = {{"a", Symbol::Kind::number, {}, {}},
                                     {"b", Symbol::Kind::number, {}, {}},
                                     {"hull", Symbol::Kind::choice, {"steel", "wood"}, {}},
                                     {"curve", Symbol::Kind::curve, {}, {5, 6, 8, 10}}};
const std::vector<Eigen::VectorXd> curves = {{}, {}, {}, Eigen::Vector4d(1, 3, 2, 2)};

double value(const std::string& text, double a = 2, double b = 3) {
  const double numbers[] = {a, b, 1, 0};
  return Expression(text, symbols, "test").value({numbers, &curves});
}
double margin(const std::string& text, double a = 2, double b = 3) {
  const double numbers[] = {a, b, 1, 0};
  return Expression(text, symbols, "test").margin({numbers, &curves});
}

}  // namespace

TEST_CASE("arithmetic is that of the schoolbook") {
  CHECK(value("1 + 2 * 3") == 7);
  CHECK(value("-2^2") == -4);
  CHECK(value("2^3^2") == 512);
  CHECK(value("(1 + 2) * a / b") == 2);
  CHECK(value("2^-1") == 0.5);
  CHECK(value("1e-3 * a") == 0.002);
  CHECK(value("log(exp(1)) + ln(1) + log10(100)") == doctest::Approx(3));
  CHECK(value("min(a, b, 1) + max(a, b) + abs(-a) + sqrt(4)") == 8);
  CHECK(value("a > b ? 1 : 2") == 2);
  CHECK(value("hull == 'wood' && !(a > b) ? 10 : 20") == 10);
  CHECK(value("floor(2.7) + ceil(2.1) + round(2.6)") == 8);
}

TEST_CASE("conditions are margins that say by how much") {
  CHECK(margin("a <= b") == 1);
  CHECK(margin("a >= b") == -1);
  CHECK(margin("a <= b && b <= 10") == 1);
  CHECK(margin("a >= b || b >= 1") == 2);
  CHECK(margin("!(a <= b)") == -1);
  CHECK(margin("a == 2") == 0);
  CHECK(margin("a < 2") < 0);  // strict
  CHECK(margin("a <= 2") >= 0);
  CHECK(margin("0.1 + 0.2 <= 0.3") >= 0);  // rounding does not break a limit
  CHECK(margin("hull == \"wood\"") == 1);
  CHECK(margin("hull != 'wood'") == -1);
  CHECK(margin("a != 2") < 0);
}

TEST_CASE("curve functions see a line from point to point") {
  CHECK(value("at(curve, 7)") == 2.5);
  CHECK(value("max(curve)") == 3);
  CHECK(value("min(curve, 6, 10)") == 2);
  CHECK(value("argmax(curve) + argmin(curve)") == 11);
  CHECK(value("mean(curve)") == doctest::Approx((2 + 5 + 4) / 5.0));
  CHECK(value("width(curve, 2)") == doctest::Approx(4.5));  // from 5.5 to 10
  CHECK(value("at(curve, a + 4) * 2") == 6);
}

TEST_CASE("every trap is an error with its place, never silent") {
  for (const auto& [text, says] :
       std::map<std::string, std::string>{{"a = 4", "single ="},
                                          {"1 < a < 2", "chained"},
                                          {"2,5 + 1", "comma outside"},
                                          {"(1, 2)", "comma outside"},
                                          {"a +", "ends too soon"},
                                          {"", "empty"},
                                          {"speed * 2", "unknown name speed"},
                                          {"foo(a)", "unknown function"},
                                          {"hull + 1", "choice and no number"},
                                          {"hull < 'wood'", "no order"},
                                          {"hull == 'tin'", "unknown hull"},
                                          {"'wood'", "text is used"},
                                          {"a == 'wood'", "compared with a number"},
                                          {"curve + 1", "is a curve"},
                                          {"at(a, 1)", "must be a curve"},
                                          {"(a < b) * 2", "comparison is used"},
                                          {"a ? 1 : 2", "condition is needed"},
                                          {"(a", "without )"},
                                          {"a ** 2", "not a power here"},
                                          {"2a", "without *"},
                                          {"a & b", "single &"},
                                          {"sqrt(a, b)", "takes 1 argument"},
                                          {"at(curve)", "takes a curve"},
                                          {"a; b", "unexpected ';'"},
                                          {"a ≤ 2", "unexpected '≤'"},
                                          {"5 + Ω", "unexpected 'Ω'"},
                                          {"a < b ? 1", "? without"}}) {
    CAPTURE(text);
    CHECK_THROWS_WITH_AS(Expression(text, symbols, "test"), doctest::Contains(says.c_str()), Error);
  }
  for (const char* text : {"1 / (a - 2)", "sqrt(-a)", "ln(0 * a)"})
    CHECK_THROWS_WITH_AS(value(text), doctest::Contains("not a finite number"), Error);
  CHECK_THROWS_WITH_AS(value("at(curve, 99)"), doctest::Contains("outside the axis"), Error);
}

TEST_CASE("many points give what each gives by itself, and NaN where one by itself is an error") {
  const Eigen::Index m = 150;  // more than the program takes at once
  ManyBindings many;
  many.numbers.resize(m, 4);
  many.curves.resize(4);
  many.curves[3].resize(m, 4);
  for (Eigen::Index i = 0; i < m; ++i) {
    many.numbers.row(i) << 0.1 * double(i) - 5, std::cos(double(i)), double(i % 2), 0;
    many.curves[3].row(i) << std::sin(double(i)), 0.5, double(i % 7), -1;
  }
  for (const char* text :
       {"a * b - a / (b + 2)", "hull == 'wood' ? sqrt(a) : atan2(a, b)",
        "a <= b && !(hull == 'steel') || b > 0.5", "min(curve, 5, 7.5) + argmax(curve) * width(curve, 0.25)",
        "a > 0 ? at(curve, 5 + a / 20) : -a", "max(a, b, 0) ^ 1.5 + round(3 * b)",
        "a < 0 ? b < 0.3 : b < 0.6"}) {
    CAPTURE(text);
    const Expression e(text, symbols, "test");
    const Eigen::VectorXd all = e.values(many);
    int undefined = 0;
    for (Eigen::Index i = 0; i < m; ++i) {
      const Eigen::VectorXd numbers = many.numbers.row(i);
      const std::vector<Eigen::VectorXd> curve = {{}, {}, {}, many.curves[3].row(i)};
      const Bindings one{numbers.data(), &curve};
      if (std::isnan(all[i])) {
        ++undefined;
        CHECK_THROWS_AS(e.is_condition() ? e.margin(one) : e.value(one), Error);
      } else {
        CHECK(all[i] == (e.is_condition() ? e.margin(one) : e.value(one)));
      }
    }
    CHECK(undefined < m / 2);
  }
}

TEST_CASE("only what is chosen counts, and nothing undefined slips through a comparison") {
  CHECK(value("a > 1 ? 7 : 1 / (a - a)") == 7);
  CHECK(value("a > 1 ? 7 : at(curve, b + 50)") == 7);
  for (const char* text : {"sqrt(0 - a) < 1 ? 1 : 2", "min(a, ln(0 - b))", "max(ln(0 - b), a)"})
    CHECK_THROWS_WITH_AS(value(text), doctest::Contains("not a finite number"), Error);
  CHECK_THROWS_WITH_AS(margin("a > 1 || ln(0 - b) < 2"), doctest::Contains("not a finite number"), Error);
}

TEST_CASE("long expressions are no deep ones") {
  // The tree of a thousand joined comparisons is deep on the left, not in brackets.
  std::string joined = "a <= 1000";
  for (int i = 1; i < 1000; ++i) joined += " && b <= " + std::to_string(1000 + i);
  CHECK(margin(joined) == 998);
  std::string sum = "1";
  for (int i = 0; i < 50'000; ++i) sum += "+1";
  CHECK(value(sum) == 50'001);
  std::string least = "min(a";
  for (int i = 0; i < 5000; ++i) least += ", b";
  CHECK(value(least + ")") == 2);
}

TEST_CASE("nesting has an end that is told, however deep it goes") {
  const auto repeated = [](const std::string& part, int n) {
    std::string out;
    for (int i = 0; i < n; ++i) out += part;
    return out;
  };
  CHECK(value(repeated("(", 90) + "1" + repeated(")", 90)) == 1);
  for (const int n : {300, 100'000})
    for (const std::string& text :
         {repeated("(", n) + "1" + repeated(")", n), repeated("-", n) + "1", repeated("!", n) + "(a < b)",
          repeated("sqrt(", n) + "1" + repeated(")", n), repeated("2^", n) + "1",
          repeated("a < b ? 1 : ", n) + "2"})
      CHECK_THROWS_WITH_AS(Expression(text, symbols, "test"), doctest::Contains("more than 200 deep"), Error);
  // The message shows the place, not the whole text.
  try {
    Expression(repeated("(", 100'000), symbols, "test");
    FAIL("accepted");
  } catch (const Error& e) {
    CHECK(std::string(e.what()).size() < 500);
  }
}

TEST_CASE("one expression serves several threads") {
  const Expression e("sqrt(a * a) + b", symbols, "test");
  std::vector<std::thread> threads;
  std::vector<int> wrong(4, 0);
  for (int t = 0; t < 4; ++t)
    threads.emplace_back([&, t] {
      for (int i = 0; i < 20'000; ++i) {
        const double numbers[] = {static_cast<double>(i), static_cast<double>(t), 0, 0};
        wrong[t] += e.value({numbers, &curves}) != i + t;
      }
    });
  for (std::thread& t : threads) t.join();
  CHECK(wrong == std::vector<int>(4, 0));
}
