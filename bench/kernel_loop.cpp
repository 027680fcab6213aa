// The limit for predicting means: the kernel alone, on distances that are ready.
#include <cmath>
#include <cstddef>

double kernel_loop(const double* distances, const double* weights, std::size_t n) {
  double sum = 0;
  for (std::size_t i = 0; i < n; ++i) {
    const double s = 2.2360679774997896964 * distances[i];
    sum += weights[i] * (1 + s + s * s / 3) * std::exp(-s);
  }
  return sum;
}
