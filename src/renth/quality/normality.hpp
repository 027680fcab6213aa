// Are these numbers normal?
#pragma once
#include <Eigen/Core>

namespace renth {

/// A statistic and its p-value; NaN where undefined.
struct TestResult {
  double statistic = 0, p = 0;
};

/// W of S. S. Shapiro and M. B. Wilk, Biometrika 52, 1965, with the weights and p-values of P. Royston,
/// Applied Statistics 44, 1995 (algorithm AS R94), for 3 to 5000 numbers; NaN for others and if they are all
/// equal.
TestResult shapiro_wilk(Eigen::VectorXd values);

/// A² with mean and variance estimated, for more than 7 numbers; p-values of R. B. D'Agostino and M. A.
/// Stephens, Goodness-of-Fit Techniques, 1986, table 4.9.
TestResult anderson_darling(Eigen::VectorXd values);

}  // namespace renth
