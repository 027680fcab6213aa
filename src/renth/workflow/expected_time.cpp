#include <fmt/format.h>

#include <Eigen/Core>
#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <renth/numeric/dense.hpp>
#include <renth/workflow/expected_time.hpp>
#include <utility>

namespace renth {
namespace {

/// Processor seconds of choosing the kind of one response by its runs, ten parameters or fewer.
constexpr std::array<std::pair<double, double>, 8> choosing{
    {{20, 0.2}, {100, 0.8}, {250, 2.1}, {500, 4.7}, {1000, 16}, {2000, 30}, {5000, 35}, {100'000, 45}}};

double of_choice(double runs) {
  if (runs <= choosing.front().first) return choosing.front().second;
  for (std::size_t i = 1; i < choosing.size(); ++i) {
    const auto& [from, a] = choosing[i - 1];
    const auto& [to, b] = choosing[i];
    if (runs <= to) return a * std::pow(b / a, std::log(runs / from) / std::log(to / from));
  }
  return choosing.back().second * runs / choosing.back().first;
}

/// Beside the machine on which those were measured: how long a factorisation takes.
double slowness() {
  constexpr Eigen::Index n = 300;
  constexpr double measured = 0.6e-3;
  Eigen::MatrixXd a(n, n);
  for (Eigen::Index j = 0; j < n; ++j)
    for (Eigen::Index i = 0; i < n; ++i)
      a(i, j) = std::exp(-0.05 * std::abs(double(i - j))) + (i == j ? 0.1 : 0);
  double best = 1e9;
  for (int k = 0; k < 4; ++k) {
    const auto begin = std::chrono::steady_clock::now();
    const PositiveFactor factor(a);
    if (!factor.is_definite()) return 1;
    best = std::min(best, std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count());
  }
  return std::clamp(best / measured, 0.2, 10.0);
}

}  // namespace

double expected_fit_seconds(const FitSize& size, int threads) {
  const double share = size.kind.empty() || size.kind == "blend" || size.kind == "best" ? 1
                       : size.kind == "kriging"                                         ? 0.4
                       : size.kind == "rbf" || size.kind == "chaos"                     ? 0.2
                       : size.kind == "polynomial"                                      ? 0.02
                                                                                        : 0.1;
  const double one = share * of_choice(size.runs) * std::pow(std::max(1.0, size.parameters / 10), 0.4);
  return slowness() * one * size.outputs / std::max(1, threads);
}

std::string duration_text(double seconds) {
  if (seconds < 90) return fmt::format("{:.0f} s", seconds);
  const auto minutes = int(std::lround(seconds / 60));
  if (minutes < 90) return fmt::format("{} min", minutes);
  return minutes % 60 >= 5 ? fmt::format("{} h {} min", minutes / 60, minutes % 60 / 5 * 5)
                           : fmt::format("{} h", minutes / 60);
}

}  // namespace renth
