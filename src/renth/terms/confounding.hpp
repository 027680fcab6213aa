// Which terms a set of runs can tell apart.
#pragma once
#include <Eigen/Core>
#include <renth/terms/terms.hpp>
#include <string>
#include <vector>

namespace renth {

/// Which columns of `x` depend on earlier ones: modified Gram–Schmidt in column order.
struct Confounding {
  std::vector<Eigen::Index> kept, dropped;
  Eigen::MatrixXd dependence;  ///< kept × dropped: dropped column = Σ kept · dependence
};
Confounding find_confounding(const Eigen::MatrixXd& x);

/// "draft^2 with 1, radius^2; …"; columns beyond the terms are called blocks.
std::string describe(const Space& space, const Terms& terms, const Confounding& found);

/// The richest of quadratic, products and linear that leaves so many residual degrees of freedom,
/// without the terms that these points (n × d, natural units) cannot estimate beside their blocks.
///
/// \param blocks  n block numbers; empty: one block.
Terms suggested_terms(const Space& space, Points points, const Eigen::VectorXi& blocks = {}, int spare = 4);

/// The terms that these points can estimate, the later of two confounded ones left out, and what is
/// confounded with blocks.
Terms estimable_terms(const Space& space, const Terms& terms, Points points,
                      const Eigen::VectorXi& blocks = {});

}  // namespace renth
