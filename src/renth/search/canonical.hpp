// Where a quadratic surface is flat, what it looks like there, and the way to its best.
#pragma once
#include <optional>
#include <renth/surrogate/polynomial.hpp>
#include <string>
#include <vector>

namespace renth {

/// The best (or worst) of a quadratic at one distance from the centre.
struct RidgePoint {
  double radius = 0;      ///< coded
  Eigen::VectorXd point;  ///< natural
  double value = 0, sd = 0;
  bool inside = false;  ///< within spans and limits
};

/// A quadratic in the parameters that vary continuously, choices and levels held.
struct CanonicalAnalysis {
  struct Axis {
    double value = 0, low = 0,
           high = 0;            ///< curvature along it, and its interval with the direction as found
    Eigen::VectorXd direction;  ///< coded, unit length, over `parameters`
  };
  std::vector<Eigen::Index> parameters;     ///< those that are in the model
  Eigen::VectorXd point;                    ///< natural; empty on a ridge without a single flat point
  double value = 0, sd = 0;                 ///< there
  std::string kind;                         ///< maximum, minimum, saddle, ridge
  bool inside = false;                      ///< within spans and limits
  std::vector<Axis> axes;                   ///< ascending
  std::vector<RidgePoint> highest, lowest;  ///< radii 0 … √k in tenths
  std::string note;                         ///< what an interval leaves open; empty if nothing
};

/// ŷ = c + bᵀx + xᵀBx in coded units; flat at −½B⁻¹b; axes are eigenvectors of B (G. E. P. Box and K. B.
/// Wilson, Journal of the Royal Statistical Society B 13, 1951). A ridge: a curvature is below a twentieth of
/// the largest. The paths solve (B − μI)x = −½b, μ beyond the last eigenvalue (N. R. Draper, Technometrics 5,
/// 1963).
///
/// \param space  with the limits.  \param held  values of choices and levels, and of what the model leaves
/// out. \returns nothing if the model is not quadratic in them; `why` then says so.
std::optional<CanonicalAnalysis> canonical_analysis(const Space& space, const Polynomial& model,
                                                    const Eigen::VectorXd& held, double level,
                                                    std::string& why);

}  // namespace renth
