// Seeing from its settings alone that a table was a plan for a quadratic surface.
#pragma once
#include <Eigen/Core>
#include <optional>
#include <vector>

namespace renth {

/// The values of one parameter in such a plan.
struct CentredColumn {
  double low = 0, high = 0;              ///< of the corners or edges: the ends of the span
  double axial_low = 0, axial_high = 0;  ///< outermost; the same unless axial runs leave the corners
};

/// Which columns together are a central composite plan (corners, centre, two axial runs a parameter at one
/// distance; G. E. P. Box and K. B. Wilson, J. R. Stat. Soc. B 13, 1951) or a Box–Behnken plan (centre and
/// runs with two or three parameters at their ends; Technometrics 2, 1960)? Other columns may be anything, as
/// long as these repeat the plan.
///
/// \param values  n × d, natural units as they were rounded; NaN in columns that hold no numbers.
/// \returns       one a column; nothing for columns that are no part of such a plan.
std::vector<std::optional<CentredColumn>> recognise_centred_plan(const Eigen::MatrixXd& values);

}  // namespace renth
