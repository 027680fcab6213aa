// How much of a response's variance each parameter is responsible for.
#pragma once
#include <Eigen/Core>
#include <functional>
#include <renth/numeric/random.hpp>
#include <renth/space/space.hpp>
#include <string>
#include <vector>

namespace renth {

/// Values of a response at m points (m × q); must be re-entrant.
using Evaluate = std::function<Eigen::MatrixXd(Points)>;

/// Natural value of a parameter at a place of its distribution, 0 … 1.
using FromUnit = std::function<double(Eigen::Index parameter, double unit)>;

/// Of the box: as Space::from_unit(), spans uniform, levels and choices equally likely. \param space outlives
/// it.
FromUnit over_the_box(const Space& space);

/// Of what becomes of a setting in production: each parameter with scatter by the quantiles of that, the
/// others as set. \param space  outlives it. \param at  d natural values. \throws Error  no parameter has
/// scatter.
FromUnit under_scatter(const Space& space, const Eigen::VectorXd& at);

/// Shares of one parameter; estimates may differ from the truth by their standard error.
struct Share {
  double share = 0, first = 0, total = 0;
};

/// Shares of variance, of a response or summed over the points of a curve (F. Gamboa, A. Janon,
/// T. Klein, A. Lagnoux, Electronic J. Statistics 8, 2014, for several outputs).
struct VarianceShares {
  std::vector<Share> parameters;  ///< d
  Eigen::MatrixXd pairs;          ///< d × d, upper triangle: share of each interaction of two
  Eigen::MatrixXd along;          ///< d × q, the share at each output of several; no columns of one
  double variance = 0;            ///< of the response over the region
};

/// Sobol' indices, inputs independent and as `inputs` says; `share` is the first-order index. First order and
/// pairs by A. Saltelli, Computer Physics Communications 145, 2002, equations 12–16 (product form, centred),
/// totals by M. J. W. Jansen, same journal 117, 1999, all of what is left when polynomials of each parameter
/// are taken out, whose shares are exact (a control variate: S. Kucherenko, B. Delpuech, B. Iooss, S.
/// Tarantola, Reliability Engineering and System Safety 134, 2015). Base points: `samples` scrambled Sobol'
/// points of 2d dimensions, scramble number `replicate`.
///
/// \param models  several models are asked at the same points: their differences carry little sampling error.
/// \returns       one entry a model.
std::vector<VarianceShares> sobol_indices(const Space& space, const std::vector<Evaluate>& models,
                                          int samples, Seed seed, int replicate, const FromUnit& inputs);
inline std::vector<VarianceShares> sobol_indices(const Space& space, const std::vector<Evaluate>& models,
                                                 int samples, Seed seed, int replicate) {
  return sobol_indices(space, models, samples, seed, replicate, over_the_box(space));
}

/// Shapley effects over the region that the limits leave (A. B. Owen, SIAM/ASA J. Uncertainty
/// Quantification 2, 2014; cost function E Var(Y | X₋ᵤ) of E. Song, B. L. Nelson, J. Staum, same
/// journal 4, 2016): shares that add up to one although the parameters are not independent. All
/// subsets up to eight parameters, else a dozen random orders, each with its reverse (R. Mitchell, J. Cooper,
/// E. Frank, G. Holmes, Journal of Machine Learning Research 23, 2022). `first` and `total` are NaN.
///
/// Conditional points come by rejection; where 200 tries miss, by one step of slice sampling with
/// a shrinking box (R. M. Neal, Annals of Statistics 31, 2003, section 5.1). All subsets draw from the same
/// numbers, so that a parameter that neither the response nor a limit knows has a share of exactly 0.
std::vector<VarianceShares> shapley_effects(const Space& space, const std::vector<Evaluate>& models,
                                            int samples, Seed seed, int replicate);

}  // namespace renth
