// Predicting runs that the surrogate has not seen.
#pragma once
#include <memory>
#include <renth/fit/fit.hpp>
#include <renth/numeric/random.hpp>
#include <renth/predict/fold_models.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/surrogate.hpp>
#include <vector>

namespace renth {

/// Which fold each run belongs to. Replicates are never split.
struct Folds {
  std::vector<int> of_run;  ///< n numbers 0 … count − 1
  int count = 0;
};

/// Folds of nearly equal size: each run (with its replicates) on its own for up to 120 different
/// points, where what a tenth of the runs teaches would be missed, else ten, drawn with the seed. The same
/// for every kind of surrogate. Each repeat draws anew.
Folds make_folds(const Data& data, Seed seed, int repeat = 0);

/// What cross-validation found.
struct CrossValidation {
  Folds folds;
  Eigen::MatrixXd predicted;  ///< n × q, each run by the model that has not seen it
  std::vector<std::shared_ptr<const Surrogate>> models;  ///< one a fold, fitted without it
};

/// Refits, hyperparameters and all, without each fold in turn, on all threads.
/// \throws Error  a fold leaves too few runs for the fit.
CrossValidation cross_validate(const Space& space, const Data& data, const Folds& folds, const Fit& fit,
                               Seed seed);

/// The models without one fold each, with their errors, for calibrated intervals.
/// \param outputs  n × q of the runs that were cross-validated.
FoldModels fold_models(const CrossValidation& cv, const Eigen::MatrixXd& outputs);

}  // namespace renth
