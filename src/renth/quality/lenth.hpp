// Which effects are active when nothing is left to estimate the error.
#pragma once
#include <Eigen/Core>

namespace renth {

/// R. V. Lenth, Technometrics 31, 1989: most effects are noise, so their median tells its size.
struct Lenth {
  double pseudo_error = 0;         ///< 1.5 · median of the |effects| below 2.5 · 1.5 · median |effect|
  double degrees_of_freedom = 0;   ///< m/3
  double margin = 0;               ///< t(0.975) · pseudo error: beyond it an effect is likely active
  double simultaneous_margin = 0;  ///< beyond it, even among m effects (Šidák)
};

/// \param effects  m ≥ 3 independent effects of equal variance. \returns NaNs for fewer.
Lenth lenth(const Eigen::VectorXd& effects, double level = 0.95);

}  // namespace renth
