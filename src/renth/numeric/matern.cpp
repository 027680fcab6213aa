#include <cmath>
#include <cstdint>
#include <cstring>
#include <renth/numeric/matern.hpp>

#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && !defined(__SANITIZE_ADDRESS__) && \
    !defined(__SANITIZE_THREAD__)
#define RENTH_DISPATCH __attribute__((target_clones("arch=skylake-avx512", "arch=haswell", "default")))
#else
#define RENTH_DISPATCH
#endif
#define RENTH_INLINE __attribute__((always_inline)) inline

namespace renth::matern {
namespace {

constexpr double sqrt5 = 2.2360679774997896964;

/// e^(−s) for s ≥ 0: 2^f by the Taylor polynomial of degree 12 on |f| ≤ ½ (remainder below 1e-17),
/// times a power of two set in the exponent bits. Below e^(−700) it stays at e^(−700).
RENTH_INLINE double exp_minus(double s) {
  constexpr double log2e = 1.4426950408889634074, magic = 0x1.8p52;
  const double y = (s < 700.0 ? s : 700.0) * -log2e;
  const double shifted = y + magic;
  const double f = y - (shifted - magic);
  // Coefficients (ln 2)^k / k!, k = 12 … 1.
  double p = 2.5678435993488206e-11;
  p = p * f + 4.4455382718708114e-10;
  p = p * f + 7.0549116208011232e-9;
  p = p * f + 1.0178086009239699e-7;
  p = p * f + 1.3215486790144309e-6;
  p = p * f + 1.5252733804059840e-5;
  p = p * f + 1.5403530393381609e-4;
  p = p * f + 1.3333558146428443e-3;
  p = p * f + 9.6181291076284771e-3;
  p = p * f + 5.5504108664821580e-2;
  p = p * f + 2.4022650695910071e-1;
  p = p * f + 6.9314718055994531e-1;
  p = p * f + 1.0;
  std::int64_t power, bits;
  std::memcpy(&power, &shifted, 8);
  std::memcpy(&bits, &p, 8);
  bits += static_cast<std::int64_t>(static_cast<std::uint64_t>(power) << 52);
  std::memcpy(&p, &bits, 8);
  return p;
}

RENTH_INLINE double matern52(double squared) {
  const double s = sqrt5 * std::sqrt(squared);
  return (s * (s * (1.0 / 3.0) + 1.0) + 1.0) * exp_minus(s);
}

/// Adds the squared differences of `count` ≤ 4 features in one pass over the runs.
template <int count, bool first>
RENTH_INLINE void add_squares(const double* point, const double* runs, std::size_t stride, std::size_t n,
                              double* squared) {
  const double* r0 = runs;
  const double* r1 = runs + (count > 1 ? stride : 0);
  const double* r2 = runs + (count > 2 ? 2 * stride : 0);
  const double* r3 = runs + (count > 3 ? 3 * stride : 0);
  const double p0 = point[0], p1 = point[count > 1 ? 1 : 0], p2 = point[count > 2 ? 2 : 0],
               p3 = point[count > 3 ? 3 : 0];
#pragma GCC ivdep
  for (std::size_t j = 0; j < n; ++j) {
    double sum = first ? 0.0 : squared[j];
    const double d0 = p0 - r0[j];
    sum += d0 * d0;
    if constexpr (count > 1) {
      const double d1 = p1 - r1[j];
      sum += d1 * d1;
    }
    if constexpr (count > 2) {
      const double d2 = p2 - r2[j];
      sum += d2 * d2;
    }
    if constexpr (count > 3) {
      const double d3 = p3 - r3[j];
      sum += d3 * d3;
    }
    squared[j] = sum;
  }
}

template <bool first>
RENTH_INLINE void add_squares_of(std::size_t count, const double* point, const double* runs, std::size_t stride,
                                 std::size_t n, double* squared) {
  switch (count) {
    case 1: return add_squares<1, first>(point, runs, stride, n, squared);
    case 2: return add_squares<2, first>(point, runs, stride, n, squared);
    case 3: return add_squares<3, first>(point, runs, stride, n, squared);
    default: return add_squares<4, first>(point, runs, stride, n, squared);
  }
}

RENTH_INLINE void distances(const double* point, const double* runs, std::size_t stride, std::size_t features,
                            std::size_t n, double* squared) {
  if (features == 0) {
    for (std::size_t j = 0; j < n; ++j) squared[j] = 0;
    return;
  }
  add_squares_of<true>(features < 4 ? features : 4, point, runs, stride, n, squared);
  for (std::size_t k = 4; k < features; k += 4)
    add_squares_of<false>(features - k < 4 ? features - k : 4, point + k, runs + k * stride, stride, n, squared);
}

/// Eight running sums, joined in a fixed order: the same bits whatever the vector width.
RENTH_INLINE double dot(const double* a, const double* b, std::size_t n) {
  constexpr std::size_t lanes = 16;
  double sum[lanes] = {};
  std::size_t i = 0;
  for (; i + lanes <= n; i += lanes)
    for (std::size_t l = 0; l < lanes; ++l) sum[l] += a[i + l] * b[i + l];
  double total = 0;
  for (; i < n; ++i) total += a[i] * b[i];
  for (std::size_t l = 0; l < lanes; ++l) total += sum[l];
  return total;
}

}  // namespace

RENTH_DISPATCH void correlation(const double* squared, double* out, std::size_t n) {
#pragma GCC ivdep
  for (std::size_t i = 0; i < n; ++i) out[i] = matern52(squared[i]);
}

RENTH_DISPATCH void squared_distances(const double* point, const double* runs, std::size_t stride,
                                      std::size_t features, std::size_t n, double* squared) {
  distances(point, runs, stride, features, n, squared);
}

RENTH_DISPATCH void correlation_and_slope(double* squared, double* slope, std::size_t n) {
#pragma GCC ivdep
  for (std::size_t i = 0; i < n; ++i) {
    const double s = sqrt5 * std::sqrt(squared[i]);
    const double e = exp_minus(s), linear = 1.0 + s;
    squared[i] = (linear + s * s * (1.0 / 3.0)) * e;
    slope[i] = (5.0 / 3.0) * linear * e;
  }
}

RENTH_DISPATCH double weighted_sum(const double* point, const double* runs, std::size_t stride,
                                   std::size_t features, std::size_t n, const double* weights, double* scratch) {
  distances(point, runs, stride, features, n, scratch);
#pragma GCC ivdep
  for (std::size_t i = 0; i < n; ++i) scratch[i] = matern52(scratch[i]);
  return dot(scratch, weights, n);
}

RENTH_DISPATCH void accumulate_gradient(const double* point, const double* runs, std::size_t stride,
                                        std::size_t features, std::size_t n, const double* alpha,
                                        double alpha_j_scaled, const double* inverse, double* slope,
                                        double* gradient) {
#pragma GCC ivdep
  for (std::size_t i = 0; i < n; ++i) slope[i] *= alpha[i] * alpha_j_scaled - inverse[i];
  constexpr std::size_t lanes = 16;
  for (std::size_t k = 0; k < features; ++k) {
    const double* run = runs + k * stride;
    const double p = point[k];
    double sum[lanes] = {}, rest = 0;
    std::size_t i = 0;
    for (; i + lanes <= n; i += lanes)
      for (std::size_t l = 0; l < lanes; ++l) {
        const double d = p - run[i + l];
        sum[l] += slope[i + l] * (d * d);
      }
    for (; i < n; ++i) rest += slope[i] * (p - run[i]) * (p - run[i]);
    for (std::size_t l = 0; l < lanes; ++l) rest += sum[l];
    gradient[k] += rest;
  }
}

}  // namespace renth::matern
