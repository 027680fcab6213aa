// Reading and evaluating expressions against what they cannot be faster than: a pass over their text, and the
// same formula compiled.
#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <renth/expression/expression.hpp>

using namespace renth;

namespace {

/// Seconds a call, the best of several rounds.
template <class F>
double seconds(int calls, const F& f) {
  double best = 1e9;
  for (int round = 0; round < 7; ++round) {
    const auto begin = std::chrono::steady_clock::now();
    for (int i = 0; i < calls; ++i) f();
    best = std::min(best,
                    std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count() / calls);
  }
  return best;
}

volatile double sink = 0;

}  // namespace

int main() {
  const std::vector<Symbol> symbols = {{"radius", Symbol::Kind::number, {}, {}},
                                       {"draft", Symbol::Kind::number, {}, {}}};
  fmt::print("Reading joined comparisons, against looking at every character once:\n");
  for (const int n : {10, 100, 1000, 10000}) {
    std::string text = "draft <= 1000";
    for (int i = 1; i < n; ++i) text += fmt::format(" && radius <= {}", 1000 + i);
    const double read =
        seconds(100'000 / n, [&] { sink = Expression(text, symbols, "bench").is_condition(); });
    const double look = seconds(100'000 / n, [&] {
      int sum = 0;
      for (const char c : text) sum += c == '&' ? 3 : c;
      sink = sum;
    });
    fmt::print("  {:6} comparisons: {:8.3f} ms, {:5.0f} times\n", n, 1e3 * read, read / look);
  }
  constexpr Eigen::Index m = 4096;
  ManyBindings many;
  many.numbers = Eigen::MatrixXd::Random(m, 2).array() + 2.5;
  many.curves.resize(2);
  const char* text = "2.2 * radius - draft + sqrt(radius) / (draft + 1)";
  const Expression expression(text, symbols, "bench");
  const auto compiled = [](double radius, double draft) {
    return 2.2 * radius - draft + std::sqrt(radius) / (draft + 1);
  };
  const double native = seconds(200, [&] {
    double sum = 0;
    for (Eigen::Index i = 0; i < m; ++i) sum += compiled(many.numbers(i, 0), many.numbers(i, 1));
    sink = sum;
  });
  const double block = seconds(200, [&] { sink = expression.values(many).sum(); });
  const double single = seconds(20, [&] {
    double sum = 0;
    for (Eigen::Index i = 0; i < m; ++i) {
      const double numbers[] = {many.numbers(i, 0), many.numbers(i, 1)};
      sum += expression.value({numbers, nullptr});
    }
    sink = sum;
  });
  fmt::print("{}\n  compiled {:.1f} ns a point; {} points at once {:.1f} times; one at a time {:.1f} times\n",
             text, 1e9 * native / m, m, block / native, single / native);
}
