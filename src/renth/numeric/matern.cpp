#include <renth/numeric/matern.hpp>
#include <renth/numeric/matern_loops.hpp>

namespace renth::matern {

extern const Loops loops_baseline;
#ifdef RENTH_X86_64_LEVELS
extern const Loops loops_v3, loops_v4;
#endif

namespace {

/// The widest set that this processor has; asked once.
const Loops& loops() {
#ifdef RENTH_X86_64_LEVELS
  static const Loops& best =
      __builtin_cpu_supports("avx512f") && __builtin_cpu_supports("avx512dq") &&
              __builtin_cpu_supports("avx512vl") && __builtin_cpu_supports("avx512bw")
          ? loops_v4
      : __builtin_cpu_supports("avx2") && __builtin_cpu_supports("fma") && __builtin_cpu_supports("bmi2")
          ? loops_v3
          : loops_baseline;
  return best;
#else
  return loops_baseline;
#endif
}

}  // namespace

void correlation(const double* squared, double* out, std::size_t n) {
  loops().correlation(squared, out, n);
}

void squared_distances(const double* point, const double* runs, std::size_t stride, std::size_t features,
                       std::size_t n, double* squared) {
  loops().squared_distances(point, runs, stride, features, n, squared);
}

void correlation_and_slope(double* squared, double* slope, std::size_t n) {
  loops().correlation_and_slope(squared, slope, n);
}

double weighted_sum(const double* point, const double* runs, std::size_t stride, std::size_t features,
                    std::size_t n, const double* weights) {
  return loops().weighted_sum(point, runs, stride, features, n, weights);
}

void accumulate_gradient(const double* point, const double* runs, std::size_t stride, std::size_t features,
                         std::size_t n, const double* alpha, double alpha_j_scaled, const double* inverse,
                         double* slope, double* gradient) {
  loops().accumulate_gradient(point, runs, stride, features, n, alpha, alpha_j_scaled, inverse, slope,
                              gradient);
}

}  // namespace renth::matern
