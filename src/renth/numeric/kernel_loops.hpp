// The table of hot loops for one instruction set.
#pragma once
#include <cstddef>
#include <cstdint>
#include <renth/numeric/kernels.hpp>

namespace renth::kernels {

/// One entry a function of kernels.hpp; those that differ by kernel in the order of Kernel.
struct Loops {
  struct OfKernel {
    void (*correlations)(const double*, const double*, std::size_t, std::size_t, std::size_t, double*);
    void (*correlations_and_slopes)(const double*, const double*, std::size_t, std::size_t, std::size_t,
                                    double*, double*);
    void (*sums_by_differences)(const double*, std::size_t, std::size_t, const double*, const double*,
                                const double*, std::size_t, double*);
    void (*sums_by_products)(const double*, std::size_t, std::size_t, const double*, const double*,
                             const double*, std::size_t, double*);
    void (*accumulate_gradient)(const double*, const double*, std::size_t, std::size_t, std::size_t,
                                const double*, double, const double*, double*, double*);
  };
  OfKernel of[5];
  bool (*all_finite)(const double*, std::size_t);
  void (*code)(const double*, std::size_t, double, double, double, double*);
  void (*nested_sum)(const NestedStep*, std::size_t, const double*, std::size_t, std::size_t, double*);
  void (*count_boxed)(const std::uint64_t* const*, const std::uint64_t* const*, std::size_t,
                      const std::uint64_t*, std::size_t, std::int64_t*, std::int64_t*);
  void (*squared_distances)(const double*, const double*, std::size_t, std::size_t, std::size_t, double*);
  double (*bring_nearer)(const double*, const double*, std::size_t, std::size_t, std::size_t, double*);
};

}  // namespace renth::kernels
