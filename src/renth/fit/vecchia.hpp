// Vecchia's likelihood of many runs.
#pragma once
#include <renth/fit/kriging_objective.hpp>
#include <vector>

namespace renth {

/// −ln L of (ln θ, ln nugget) as a product over runs, each given some that stand before it:
/// ½ (n ln σ̂² + Σ ln v_i), σ̂² = Σ e_i²/v_i / n, e_i = r_i − bᵀr_N, v_i = 1 + nugget − bᵀk, b = K_N⁻¹k, with
/// the gradient by differentiating b. With all runs before each it is the likelihood of KrigingObjective; the
/// trend has been taken off before.
class VecchiaLikelihood {
 public:
  /// \param features  n × f, in the order of conditioning. \param owner  of each feature its length.
  /// \param residual  n, the outputs less the trend.
  /// \param terms     the runs whose terms are summed. \param given  for each of them the runs it is given.
  VecchiaLikelihood(Kernel kernel, Eigen::MatrixXd features, std::vector<int> owner, Eigen::VectorXd residual,
                    std::vector<int> terms, std::vector<std::vector<int>> given);
  double operator()(const Eigen::VectorXd& t, Eigen::VectorXd* gradient);
  double sigma2() const { return sigma2_; }

 private:
  struct Sum;
  void add_term(std::size_t term, const Eigen::MatrixXd& x, double nugget, bool gradient, Sum& sum) const;
  Kernel kernel_;
  Eigen::MatrixXd features_;
  std::vector<int> owner_;
  Eigen::VectorXd residual_;
  std::vector<int> terms_;
  std::vector<std::vector<int>> given_;
  double sigma2_ = 0;
};

}  // namespace renth
