// A Sobol' matrix of 10⁶ × 20 against filling it with uniform random numbers and against memory.
#include <chrono>
#include <cstdio>
#include <random>
#include <renth/numeric/sobol_sequence.hpp>

namespace {
template <class F>
double best_of(const F& f) {
  double best = 1e300;
  for (int k = 0; k < 5; ++k) {
    const auto begin = std::chrono::steady_clock::now();
    f();
    best = std::min(best, std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count());
  }
  return best;
}
}  // namespace

int main() {
  constexpr Eigen::Index n = 1'000'000, d = 20;
  double sink = 0;
  const double uniform = best_of([&] {
    Eigen::MatrixXd x(n, d);
    std::mt19937_64 engine(1);
    for (Eigen::Index i = 0; i < x.size(); ++i) x.data()[i] = double(engine() >> 11) * 0x1p-53;
    sink += x(7, 3);
  });
  const double memory = best_of([&] {
    const Eigen::MatrixXd x = Eigen::MatrixXd::Constant(n, d, 0.5);
    sink += x(7, 3);
  });
  const double plain = best_of([&] { sink += renth::sobol_points(n, d)(7, 3); });
  const double scrambled = best_of([&] { sink += renth::scrambled_sobol_points(n, d, 1, "bench")(7, 3); });
  std::printf("10^6 x 20: plain %.0f ms, scrambled %.0f ms; uniform numbers %.0f ms, a constant %.0f ms\n",
              plain * 1e3, scrambled * 1e3, uniform * 1e3, memory * 1e3);
  std::printf("plain %.2f and scrambled %.2f times the uniform fill (%g)\n", plain / uniform,
              scrambled / uniform, sink);
}
