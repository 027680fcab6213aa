// Predicting runs that the surrogate has not seen.
#pragma once
#include <memory>
#include <renth/fit/fit.hpp>
#include <renth/numeric/random.hpp>
#include <renth/predict/fold_models.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/surrogate.hpp>
#include <renth/terms/terms.hpp>
#include <string>
#include <vector>

namespace renth {

/// Which fold each run belongs to.
struct Folds {
  std::vector<int> of_run;  ///< n numbers 0 … count − 1; −1 for a run that could not be left out
  int count = 0;
};

/// Which runs are left out together: n group numbers as replicate_groups() gives them, but for replicates
/// without which the polynomial can hardly be estimated or not at all (their leverages, which are the
/// eigenvalue of their part of the hat matrix, add up to more than 0.9): the centre runs of a rotatable plan
/// are left out one at a time.
///
/// \param terms  of that polynomial; empty: the richest of quadratic, products and linear that the runs
/// carry.
std::vector<int> left_out_together(const Space& space, const Data& data, Terms terms = {});

/// Up to so many groups each is a fold of its own.
inline constexpr int most_folds_of_one = 120;

/// Folds of nearly equal size that part no group: each group on its own for up to 120, where what a tenth of
/// the runs teaches would be missed, else ten, drawn with the seed. The same for every kind of surrogate.
/// Each repeat draws anew.
Folds make_folds(const std::vector<int>& groups, Seed seed, int repeat = 0);
inline Folds make_folds(const Space& space, const Data& data, Seed seed, int repeat = 0,
                        const Terms& terms = {}) {
  return make_folds(left_out_together(space, data, terms), seed, repeat);
}

/// How many settings have replicates that are in several folds.
int settings_in_several_folds(const Data& data, const Folds& folds);

/// What cross-validation found.
struct CrossValidation {
  Folds folds;
  /// n × q, each run in its block by the model that has not seen it; NaN where there is none.
  Eigen::MatrixXd predicted;
  /// One a fold, fitted without it; none where that cannot be fitted.
  std::vector<std::shared_ptr<const Surrogate>> models;
  std::string problem;  ///< why a fold could not be fitted; empty: all could

  /// Leaves the folds without a model out: their runs are of fold −1.
  void drop_folds_without_model();
};

/// Refits, hyperparameters and all, without each fold in turn, on all threads. What cannot be fitted without
/// a fold is told in `problem`. \throws Error  fewer than two folds.
CrossValidation cross_validate(const Space& space, const Data& data, const Folds& folds, const Fit& fit,
                               Seed seed);

/// The same a part of the folds at a time: with none done yet, and for folds from … to − 1 of what was begun.
CrossValidation begin_cross_validation(const Data& data, const Folds& folds);
void cross_validate_folds(const Space& space, const Data& data, const Fit& fit, Seed seed, int from, int to,
                          CrossValidation& cv);

/// The models without one fold each, with their errors, for calibrated intervals.
/// \param outputs  n × q of the runs that were cross-validated.
FoldModels fold_models(const CrossValidation& cv, const Eigen::MatrixXd& outputs);

}  // namespace renth
