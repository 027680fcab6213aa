// The table of Cholesky's steps for one instruction set.
#pragma once
#include <cstddef>

namespace renth {

/// On columns of raw numbers: n rows, `stride` between the columns of a right-hand side.
struct CholeskySteps {
  bool (*factor)(double* a, std::ptrdiff_t n);
  void (*solve_lower)(const double* l, std::ptrdiff_t n, double* b, std::ptrdiff_t columns,
                      std::ptrdiff_t stride);
  void (*solve_transposed)(const double* l, std::ptrdiff_t n, double* b, std::ptrdiff_t columns,
                           std::ptrdiff_t stride);
};

}  // namespace renth
