// The Gaussian process behind both ways of kriging.
#pragma once
#include <renth/numeric/kernels.hpp>
#include <renth/surrogate/surrogate.hpp>
#include <renth/terms/terms.hpp>
#include <vector>

namespace renth {

/// y(x) = centre + f(x)ᵀβ + Z(x), Z with covariance σ² k.
struct Process {
  Space space;
  Kernel kernel = Kernel::matern52;
  Terms trend;
  Eigen::VectorXd theta;         ///< correlation lengths, in spans (see feature_lengths())
  double nugget = 0;             ///< noise variance as a share of σ²
  bool nugget_is_noise = false;  ///< else it only keeps the matrix well conditioned
  double centre = 0;             ///< added to the trend
  Eigen::VectorXd beta;          ///< p coefficients of the trend, coded
  double sigma2 = 0;

  /// ln θ, and ln nugget if that is noise, as KrigingOptions::warm_start takes them.
  std::vector<double> warm_start() const;
  void save(ArchiveWriter& out) const;
  void load(ArchiveReader& in);
};

/// Lower triangle of K = R + nugget·I for scaled runs (n × f); the strict upper is left undefined. If `slope`
/// is not null it gets that of kernels::correlations_and_slopes(), below the diagonal.
void correlation_matrix(Kernel kernel, const Eigen::MatrixXd& scaled_runs, double nugget, Eigen::MatrixXd& k,
                        Eigen::MatrixXd* slope = nullptr);

}  // namespace renth
