// Going down a smooth function within bounds.
#pragma once
#include <Eigen/Core>
#include <functional>
#include <limits>

namespace renth {

/// A value and, if `gradient` is not null, its derivatives; may be +∞ where there is none.
using SmoothFunction = std::function<double(const Eigen::VectorXd& at, Eigen::VectorXd* gradient)>;

struct DescendOptions {
  double value_tolerance = 1e-4;  ///< stop when a step gains less
  double step_tolerance = 0;      ///< stop when a step is shorter in every coordinate; 0: never
  int most_evaluations = 120;
};

/// The lowest point that was seen.
struct Descent {
  Eigen::VectorXd at;
  double value = std::numeric_limits<double>::infinity();
};

/// Limited-memory BFGS (NLopt's) from `start`, moved into the bounds. Where rounding ends a line search, what
/// was found so far stands.
Descent descend(const SmoothFunction& function, const Eigen::VectorXd& start, const Eigen::VectorXd& low,
                const Eigen::VectorXd& high, const DescendOptions& options = {});

}  // namespace renth
