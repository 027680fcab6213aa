// The hot loops of kriging: free functions on raw pointers, with run-time dispatch to the widest
// vector unit. Nothing here allocates.
#pragma once
#include <cstddef>

namespace renth::matern {

// Matérn 5/2: k(r) = (1 + s + s²/3) e^(−s), s = √5 r (M. L. Stein, Interpolation of Spatial Data,
// 1999, section 2.7, ν = 5/2). Distances are scaled: r² = Σ (Δ_k/θ_k)².

/// out[i] = k(√squared[i]); `out` may be `squared`. Relative error below 1e-13 for k > 1e-40.
void correlation(const double* squared, double* out, std::size_t n);

/// squared[j] = Σ_k (point[k] − runs[k·stride + j])², j = 0 … n − 1.
void squared_distances(const double* point, const double* runs, std::size_t stride, std::size_t features,
                       std::size_t n, double* squared);

/// Replaces squared[i] by k and writes slope[i] = (5/3)(1 + s) e^(−s), so that
/// ∂k/∂ln θ_k = slope · (Δ_k/θ_k)².
void correlation_and_slope(double* squared, double* slope, std::size_t n);

/// Σ_j weights[j] · k(distance of `point` to run j): one kriging mean, less its trend. The layout
/// of `runs` is that of squared_distances. Sums in a fixed order.
double weighted_sum(const double* point, const double* runs, std::size_t stride, std::size_t features,
                    std::size_t n, const double* weights);

/// For column `j` of the lower triangle: h_i = (alpha_i·alpha_j·scale − inverse_i)·slope_i for the n
/// rows below, and gradient[k] += Σ_i h_i (point[k] − runs[k·stride + i])².
void accumulate_gradient(const double* point, const double* runs, std::size_t stride, std::size_t features,
                         std::size_t n, const double* alpha, double alpha_j_scaled, const double* inverse,
                         double* slope, double* gradient);

}  // namespace renth::matern
