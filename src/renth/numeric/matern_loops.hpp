// The table of hot loops for one instruction set.
#pragma once
#include <cstddef>

namespace renth::matern {

/// One entry a function of matern.hpp.
struct Loops {
  void (*correlation)(const double*, double*, std::size_t);
  void (*squared_distances)(const double*, const double*, std::size_t, std::size_t, std::size_t, double*);
  void (*correlation_and_slope)(double*, double*, std::size_t);
  double (*weighted_sum)(const double*, const double*, std::size_t, std::size_t, std::size_t, const double*);
  void (*accumulate_gradient)(const double*, const double*, std::size_t, std::size_t, std::size_t,
                              const double*, double, const double*, double*, double*);
};

}  // namespace renth::matern
