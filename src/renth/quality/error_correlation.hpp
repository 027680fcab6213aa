// How the errors of a curve's surrogate at different axis points go together.
#pragma once
#include <Eigen/Core>

namespace renth {

/// The correlation of errors at every two axis points, from the errors of runs that were left out, drawn
/// towards none by as much as there are too few runs to know it (J. Schäfer and K. Strimmer, Stat. Appl.
/// Genet. Mol. Biol. 4, 2005, article 32, "shrinkage by analytic formula", target D with unit variances).
/// \param errors  n × q; rows with NaN are passed over.
/// \returns       q × q, positive definite; the identity for fewer than three whole rows.
Eigen::MatrixXd error_correlation(const Eigen::MatrixXd& errors);

}  // namespace renth
