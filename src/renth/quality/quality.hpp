// How well a surrogate describes its runs and predicts others, and the verdict in one word.
#pragma once
#include <optional>
#include <renth/base/words.hpp>
#include <renth/quality/cross_validation.hpp>
#include <renth/quality/regression_report.hpp>
#include <renth/surrogate/data.hpp>
#include <string>
#include <vector>

namespace renth {

/// Figures at one axis point of a curve.
struct AlongQuality {
  double r2 = 0, q2 = 0, rmse = 0;
};

/// Figures on runs kept apart.
struct CheckQuality {
  int runs = 0;
  double r2 = 0, rmse = 0, max_abs_error = 0, mean_abs_percent = 0;
  double inside = 0;     ///< share of the runs inside their prediction intervals
  double inside_95 = 0;  ///< of those at 95 %, by which the verdict goes
};

/// Goodness of fit. NaN where undefined. For a curve, sums run over all axis points, each about its
/// own mean. Block effects are taken out of all: runs are predicted in their block, SST is Σ (y − ȳ)² about
/// the mean of the block. Of a transformed polynomial all but sigma are in the response's own unit.
struct Quality {
  int runs = 0;
  double r2 = 0;            ///< 1 − SSE/SST on the fitted runs
  double r2_adjusted = 0;   ///< 1 − (SSE/(n − p))/(SST/(n − blocks)); polynomials
  double r2_predicted = 0;  ///< 1 − PRESS/SST; polynomials
  double press = 0;         ///< Σ (e_i/(1 − h_i))² (D. M. Allen, Technometrics 16, 1974); polynomials
  double sigma = 0;         ///< residual standard deviation; of a kriging, that of its noise
  double rmse = 0, max_abs_error = 0, mean_abs_percent = 0;  ///< on the fitted runs
  double q2 = 0;  ///< 1 − Σ(cross-validated residual)²/SST, mean over all runs
  double rmse_cv = 0;
  int folds = 0;
  bool folds_refitted = true;       ///< hyperparameters too; beyond 150 runs a kriging keeps them
  int not_left_out = 0;             ///< runs without which the model cannot be fitted; they are in no Q²
  int replicates_split = 0;         ///< settings whose replicates were left out one at a time
  std::vector<AlongQuality> along;  ///< one an axis point; empty for a single number
  std::optional<CheckQuality> check;
  double level = 0.95;  ///< of the intervals

  // What the verdict needs besides.
  double residual_degrees_of_freedom = 0;  ///< n − p of a polynomial, else n − 1
  double reachable = 1;                    ///< 1 − SS pure error/SST
  double lack_of_fit_p = 0;                ///< F test of lack of fit against pure error; polynomials
  std::shared_ptr<const RegressionReport> regression;  ///< of a single polynomial
};

/// What cross-validation alone says; cheap, for comparing candidates.
struct PredictiveError {
  double q2 = 0, rmse_cv = 0;  ///< as in Quality
};
PredictiveError predictive_error(const Data& data, const CrossValidation& cv);

/// \param check  runs never fitted, or nullptr.
/// \param level  of the intervals whose coverage is told; the verdict goes by 95 %.
Quality measure_quality(const Space& space, const Surrogate& surrogate, const Data& data,
                        const CrossValidation& cv, const Data* check, double level = 0.95);

/// Error of a prediction as a percentage of the value; below one hundredth of the largest value
/// that occurs, of that hundredth, so that values near zero do not count as endless.
double percent_error(double error, double value, double largest);

enum class Verdict { good, usable, weak, unfit };
inline constexpr EnumWords<Verdict, 4> verdict_words{"verdict", {"good", "usable", "weak", "unfit"}};
constexpr std::string_view name(Verdict verdict) {
  return verdict_words(verdict);
}

/// The verdict with its reasons and what to do next, in sentences.
struct Judgement {
  Verdict verdict = Verdict::unfit;
  std::vector<std::string> reasons, next;
};

/// What a surrogate was chosen among.
struct Contenders {
  std::size_t count = 1;           ///< candidates, itself counted
  std::vector<std::string> worse;  ///< other kinds that were tried and predict no better
};

/// The worse of Q² and R² on check runs, as a share of what replicates say can be reached: from 0.95
/// good, from 0.8 usable, from 0.5 weak, else unfit. A step down each for significant lack of fit
/// (p < 0.01) in a noisy study, R² adjusted − Q² above 0.2, fewer than four residual degrees of
/// freedom, and fewer than 80 % of the check runs inside their intervals. No residual degrees of
/// freedom: unfit. Curvature, inflated variances, runs that stand out and residuals that are not as assumed
/// are named with their figures, but take no step; nor does that the best of several candidates by few runs
/// that scatter was partly lucky.
///
/// \param others  what the surrogate was chosen among; what predicts no better is not advised.
Judgement judge(const Quality& quality, bool noisy, std::string_view kind, const Contenders& others = {});

}  // namespace renth
