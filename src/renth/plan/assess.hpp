// Judging a plan before any response exists.
#pragma once
#include <renth/plan/evenness.hpp>
#include <renth/plan/information.hpp>
#include <string>

namespace renth {

/// Two terms whose columns go together; the second may be outside the model.
struct Alias {
  std::string term, with;
  double correlation = 0;
};

struct Assessment {
  Eigen::Index runs = 0;
  Terms terms;
  bool terms_chosen = false;  ///< suggested_terms() was used
  Information information;
  double g_efficiency = 0;         ///< p/(n · largest variance over the region); NaN if not estimable
  Eigen::VectorXd power1, power2;  ///< p: chance to see a change of 1σ, 2σ between −1 and +1 at α 0.05
  PredictionVariance variance;     ///< empty `fraction` if not estimable
  Evenness evenness;
  std::vector<Alias> aliases;    ///< |correlation| ≥ 0.3, largest first
  int whole_plots = 0;           ///< of a space with hard parameters; 0: none
  Eigen::VectorXd freedom;       ///< p: degrees of freedom of the error that each term is judged by
  double block_correlation = 0;  ///< largest multiple correlation of a term with the blocks; 0 for one block
  std::vector<std::string> warnings;
};

/// \param terms   the model that will be fitted; empty: suggested_terms(). Aliases are sought among its terms
/// and
///                all products and squares besides.
/// \param blocks  n block numbers, or empty; whole plots if the space has hard parameters. Terms in hard
///                parameters alone are then judged by the error between plots, the others by that within.
/// \param ratio   variance of the error between whole plots to that of a run.
/// \throws Error  fewer than one run.
Assessment assess(const Space& space, Points points, const Eigen::VectorXi& blocks, const Terms& terms,
                  double ratio = 1);

}  // namespace renth
