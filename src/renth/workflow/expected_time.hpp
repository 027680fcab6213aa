// How long something will take, said before it begins.
#pragma once
#include <string>

namespace renth {

/// What is to be fitted.
struct FitSize {
  double runs = 0, parameters = 0;
  double outputs = 0;  ///< responses; a curve counts as several
  std::string kind;    ///< empty: the choice among all
};

/// Seconds that the fits will take with so many threads, by what was measured (docs/performance.md, "At
/// scale") and how fast this machine factorises a matrix just now. Right within a factor of two or so.
double expected_fit_seconds(const FitSize& size, int threads);

/// "40 s", "12 min", "2 h 10 min".
std::string duration_text(double seconds);

}  // namespace renth
