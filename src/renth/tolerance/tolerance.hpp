// What becomes of a setting in production: which share is in specification, and which parameter costs it.
#pragma once
#include <optional>
#include <renth/predict/specification.hpp>
#include <renth/space/scatter.hpp>
#include <renth/tolerance/specification.hpp>
#include <renth/tolerance/unit_sample.hpp>

namespace renth {

struct ToleranceOptions {
  Sampling method = Sampling::sobol;
  Eigen::Index samples = 0;  ///< 0: as many as the half-width needs
  double half_width = 0.0025;
  double level = 0.95;
  bool per_parameter = true;    ///< cost, slack and bins
  bool surrogate_error = true;  ///< the interval that holds the surrogates' errors too
  std::optional<double> reach;  ///< a yield that tolerances are sought for
};

/// What was drawn round a setting, part by part.
struct ToleranceSample {
  Sampling method = Sampling::sobol;
  Eigen::VectorXd at;         ///< d, the setting
  Eigen::Index parts = 1;     ///< independent ones, one below another
  Eigen::MatrixXd units;      ///< m × (scattering parameters + noise) of the unit cube
  Eigen::MatrixXd points;     ///< m × d
  Eigen::MatrixXd responses;  ///< m × Specification::responses()
  Eigen::MatrixXd margins;    ///< m × Specification::limits()
  Eigen::Index size() const { return points.rows(); }
  bool passes(Eigen::Index i) const { return (margins.row(i).array() >= 0).all(); }
  /// Of each part how many are in specification; of one limit alone.
  Eigen::VectorXd hits(int limit = -1) const;
};

/// \param count  rounded up to a whole number of each in 32 parts; of random ones there is one part.
/// \param factors  of each parameter's scatter; empty: as it is.
ToleranceSample draw_sample(const ScatterDraw& draw, const Specification& specification,
                            const Eigen::VectorXd& at, Sampling method, Eigen::Index count, Seed seed,
                            const Eigen::VectorXd& factors = {});

/// The share in specification. \param limit  of one limit alone; −1: of all.
Estimate yield_of(const ToleranceSample& sample, double level, int limit = -1);

/// Deviations of the margins under scatter at a setting, from so many draws; of one that does not move, 1.
Eigen::RowVectorXd margin_scales(const Specification& specification, const Eigen::VectorXd& at,
                                 Eigen::Index draws, Seed seed);

/// What a sample says of one response.
struct ResponseSpread {
  int response = 0;
  double mean = 0, sd = 0, p05 = 0, p50 = 0, p95 = 0;
  Estimate yield;         ///< by its limits alone; 1 without any
  double capability = 0;  ///< min(mean − min, max − mean)/(3 sd); NaN without limits
  struct Bin {
    double from, to, share;
  };
  std::vector<Bin> histogram;
  double undefined = 0;  ///< the share where it is undefined
};

/// What one parameter's scatter does.
struct ParameterCost {
  Eigen::Index parameter = 0;
  Estimate cost;  ///< the yield regained if it alone were held exactly
  /// The factor by which its scatter may grow at a loss of a hundredth; nothing: more than a hundredfold.
  std::optional<double> slack;
  struct Bin {
    double from, to;
    Estimate yield;  ///< all else scattering
  };
  std::vector<Bin> bins;
};

/// The tolerances that bring the yield to a target, by what they cost.
struct ToleranceReach {
  double target = 0;
  bool reached = false;
  Estimate yield;   ///< with them
  double cost = 0;  ///< Σ cost·(1/factor − 1)
  struct One {
    Eigen::Index parameter;
    double factor;  ///< of its scatter; 1: as it is
  };
  std::vector<One> tolerances;  ///< one a scattering parameter
};

/// The worst case: all corners of the tolerance box.
struct WorstCase {
  int limit = 0;
  double margin = 0;      ///< below 0: broken
  Eigen::VectorXd point;  ///< where
};

struct ToleranceResult {
  Eigen::VectorXd at;
  Sampling method = Sampling::sobol;
  Eigen::Index samples = 0;
  double as_random = 0;  ///< plain random ones that the same interval would take
  Estimate yield;
  bool rare = false;  ///< the yield is by subset simulation: too few of the sample were out
  std::optional<Estimate> with_surrogate;  ///< interval that holds the surrogates' errors too
  double surrogate_missing = 0;            ///< responses without an error estimate
  std::vector<ResponseSpread> responses;
  std::vector<ParameterCost> parameters;
  SpecificationShares shares;  ///< each limit alone, and which fail together
  std::optional<ToleranceReach> reach;
  std::vector<WorstCase> worst;  ///< of corners, one a limit
  double outside = 0;            ///< the share outside what the runs cover
  double beyond_limits = 0;      ///< the share that breaks a limit between parameters
  double failure_risk = 0;       ///< the mean chance that the solver fails; NaN: none was learned
};

/// \throws Error  nothing scatters; a setting that breaks a limit; more than 16 scattering parameters for
///                corners.
ToleranceResult tolerance(const Specification& specification, const Eigen::VectorXd& at,
                          const ToleranceOptions& options, Seed seed);

/// What a sample says by itself: yield, spreads of responses, which limits fail together. Also of settings
/// that were really made.
ToleranceResult summary_of(const Specification& specification, const ToleranceSample& sample, double level);

/// The yield over twelve equal shares of one parameter's draws, or over each of its values if they are few.
std::vector<ParameterCost::Bin> yield_by_value(const ToleranceSample& sample, Eigen::Index parameter,
                                               double level);

/// Of scattering parameters one by one: yield by value, cost and slack.
///
/// Cost and slack compare the same draws with one parameter's drift taken away or made larger, so that their
/// differences are far more certain than the yields.
std::vector<ParameterCost> parameter_costs(const ScatterDraw& draw, const Specification& specification,
                                           const ToleranceSample& sample, double level);

/// The cheapest tolerances with which the yield reaches the target, where a factor f of a parameter's scatter
/// costs tighten_cost·(1/f − 1) (the reciprocal model: K. W. Chase and W. H. Greenwood, Manufacturing Review
/// 1, 1988), by steps that gain most for what they cost, then by exchanging one parameter's tightening for
/// another's. Factors lie between 1/100 and 1.
ToleranceReach tolerances_for(const ScatterDraw& draw, const Specification& specification,
                              const Eigen::VectorXd& at, double target, double level, Seed seed);

/// The share out of specification where hardly anything is: subset simulation (S.-K. Au and J. L. Beck,
/// Probabilistic Engineering Mechanics 16, 2001) with conditional sampling in the space of normal numbers
/// (I. Papaioannou, W. Betz, K. Zwirglmaier and D. Straub, Probabilistic Engineering Mechanics 41, 2015);
/// eight independent simulations, whose logarithms make the interval.
Estimate rare_failures(const ScatterDraw& draw, const Specification& specification, const Eigen::VectorXd& at,
                       double level, Seed seed);

/// The interval of the yield that holds the surrogates' errors besides those of the sample: the yields of two
/// hundred joint draws from the surrogates at a part of the sample, as differences from what their means give
/// there. Where cross-validation found a surrogate too sure of itself, its deviations are as much larger.
/// \param missing  is set to the number of sources without an error estimate, taken as exact.
Estimate yield_with_surrogate_error(const Specification& specification, const ToleranceSample& sample,
                                    const Estimate& yield, double level, Seed seed, double& missing);

/// The yield with other scatter or limits from a sample that was drawn already.
struct WhatIf {
  Estimate yield;
  double effective = 0;  ///< independent ones that the weighted sample is worth, of 1
  bool sound = false;    ///< it is worth a third, and nothing of the new scatter is missing from it
};

/// Weights each draw by how much likelier it is now (A. Hesterberg, Technometrics 37, 1995, with the ratio
/// estimate's error). \param before, after  the same parameters, one with another scatter. \param accept
/// limits as of Specification, empty: those of the sample; responses must be scalar then.
/// \throws Error  correlated scatter; measured deviations that changed.
WhatIf what_if(const ToleranceSample& sample, const Specification& specification, const Space& before,
               const Space& after, const std::vector<Accept>& accept, double level);

}  // namespace renth
