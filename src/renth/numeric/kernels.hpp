// The hot loops of kriging: free functions on raw pointers, with run-time dispatch to the widest
// vector unit. Nothing here allocates.
#pragma once
#include <cstddef>
#include <cstdint>
#include <renth/base/words.hpp>
#include <string_view>

namespace renth {

/// Correlation at a scaled distance r, r² = Σ (Δ_k/θ_k)², from the smoothest to the roughest.
enum class Kernel {
  gaussian,     ///< e^(−r²/2): analytic surfaces
  matern52,     ///< (1 + s + s²/3) e^(−s), s = √5 r: twice differentiable
  matern32,     ///< (1 + s) e^(−s), s = √3 r: once differentiable
  exponential,  ///< e^(−r): continuous, with kinks at the runs
  product52,  ///< Π (1 + s_k + s_k²/3) e^(−s_k), s_k = √5 |Δ_k|/θ_k: Matérn 5/2 in each parameter, which
              ///< suits surfaces that are nearly sums of functions of few parameters
};
inline constexpr int kernel_count = 5;
inline constexpr EnumWords<Kernel, kernel_count> kernel_words{
    "kernel", {"gaussian", "matern52", "matern32", "exponential", "matern52-product"}};
constexpr std::string_view name(Kernel kernel) {
  return kernel_words(kernel);
}

}  // namespace renth

/// Formulas: M. L. Stein, Interpolation of Spatial Data, 1999, section 2.7 (Matérn's ν = 5/2, 3/2, 1/2).
namespace renth::kernels {

// Points and runs are scaled, Δ_k/θ_k; `runs` holds n numbers a feature, each feature `stride` after the one
// before.

/// out[j] = correlation of `point` with run j. Relative error below 1e-13 for those above 1e-40.
void correlations(Kernel kernel, const double* point, const double* runs, std::size_t stride,
                  std::size_t features, std::size_t n, double* out);

/// The same, and slope[j], so that with slope_factor() g: ∂out[j]/∂ln θ_k = slope[j] g(δ_k) δ_k², δ_k the
/// scaled difference. The exponential's is bounded at r = 0, where δ vanishes.
void correlations_and_slopes(Kernel kernel, const double* point, const double* runs, std::size_t stride,
                             std::size_t features, std::size_t n, double* out, double* slope);

/// g(δ) of a scaled difference in one feature: 1 but for products.
double slope_factor(Kernel kernel, double difference);

/// Runs side by side in a tile of weighted_sums().
inline constexpr std::size_t tile = 16;

/// out[p] = Σ_j weight_j · correlation of point p with run j. A tile holds `tile` weights, then as many
/// squared lengths |x|², then as many coordinates a feature; on a line of the cache. `points` holds the
/// coordinates of one point after another; `count` is a multiple of four. Sums in a fixed order, the same for
/// a point whatever stands beside it.
///
/// With `squares`, |p|², distances are |p|² + |x|² − 2px, for which coordinates are times √2, and anew from
/// differences where that is not above near[p]; null: all from differences. Not for products.
void weighted_sums(Kernel kernel, const double* tiles, std::size_t tile_count, std::size_t features,
                   const double* points, const double* squares, const double* near, std::size_t count,
                   double* out);

/// For column `j` of the lower triangle: h_i = (alpha_i·alpha_j·scale − inverse_i)·slope_i for the n
/// rows below, and gradient[k] += Σ_i h_i g(δ) δ², δ = point[k] − runs[k·stride + i].
void accumulate_gradient(Kernel kernel, const double* point, const double* runs, std::size_t stride,
                         std::size_t features, std::size_t n, const double* alpha, double alpha_j_scaled,
                         const double* inverse, double* slope, double* gradient);

/// Are all of them finite?
bool all_finite(const double* v, std::size_t n);

/// out[i] = (v − low − (high − v))·per: coded values of natural ones.
void code(const double* natural, std::size_t n, double low, double high, double per, double* out);

/// out[i] = squared distance of row i of a table from a point; column k of the table begins at columns +
/// k·stride.
void squared_distances(const double* point, const double* columns, std::size_t stride, std::size_t features,
                       std::size_t n, double* out);

/// room[i] = the smaller of room[i] and that. \returns  the largest of them afterwards.
double bring_nearer(const double* point, const double* columns, std::size_t stride, std::size_t features,
                    std::size_t n, double* room);

/// Counts the bits that are set in every high[k] and in no low[k], k < sides (≥ 1), and those of them that
/// are marked; each array has so many words.
void count_boxed(const std::uint64_t* const* high, const std::uint64_t* const* low, std::size_t sides,
                 const std::uint64_t* marked, std::size_t words, std::int64_t* all, std::int64_t* in);

/// One step of a polynomial that is multiplied out from within, c + z₁(c₁ + c₁₁z₁ + c₁₂z₂) + …: what is held
/// is put aside and begun anew with `value`, gets `value` times a column added, or is multiplied by a column
/// and added to what was put aside last.
struct NestedStep {
  enum What : int { open, add, close };
  What what = open;
  int column = 0;
  double value = 0;
};
inline constexpr std::size_t nested_depth = 16;  ///< most that can be put aside
inline constexpr std::size_t nested_width = 64;  ///< points at a time

/// out[i] for `n` points, a multiple of nested_width; column k begins at columns + k·stride. The first step
/// opens, and stays open.
void nested_sum(const NestedStep* steps, std::size_t count, const double* columns, std::size_t stride,
                std::size_t n, double* out);

}  // namespace renth::kernels
