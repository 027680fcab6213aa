// How correlation lengths, kernel and noise of a kriging are found.
#pragma once
#include <optional>
#include <renth/fit/fit.hpp>
#include <renth/fit/kriging_objective.hpp>
#include <string>
#include <vector>

namespace renth {

/// Beyond this many runs a fit to part of them keeps the lengths of the fit to all: they hardly move.
inline constexpr int most_sought_in_folds = 150;

/// Options of a kriging fit; the defaults suit a deterministic solver with tens to some thousand runs.
struct KrigingOptions {
  /// Empty: the likeliest of Gaussian, Matérn 5/2, its product over parameters, and Matérn 3/2 (by the
  /// criterion, if that is another); the Gaussian only if its log-likelihood is larger by two, since it errs
  /// most where the response is not analytic. Over ten plans each of nine published functions the likeliest
  /// was on the whole as good as choosing by cross-validation, and never clearly worse than Matérn 5/2 alone,
  /// as that was by 14 %.
  std::optional<Kernel> kernel;
  /// TERMS that the process varies about; the constant is always among them. More than a constant pays
  /// where the surface tilts over the whole region, or when predicting outside the runs.
  std::string trend = "1";
  /// Leave-one-out resists a kernel that is wrong; likelihood uses the runs better when it is right.
  KrigingCriterion criterion = KrigingCriterion::likelihood;
  bool prior = true;  ///< see KrigingObjective; matters for fewer than about ten runs a parameter
  /// Local optimisations, each from the best of the points not yet tried. More help when the likelihood has
  /// several maxima: few runs, many parameters.
  int starts = 4;
  /// Points at which the criterion is looked at before the first start.
  int screening = 40;
  /// Whether the runs scatter round the surface. `when_needed` estimates a nugget if the study is
  /// noisy or replicates differ; else only if that raises the log-likelihood by more than two. `fixed` takes
  /// `noise_variance`, `replicates` the pure error of repeated runs.
  enum class Nugget { when_needed, none, estimated, fixed, replicates } nugget = Nugget::when_needed;
  double noise_variance = 0;  ///< of `fixed`, in the squared unit of the response
  /// Beyond this many runs, lengths are sought on a random part of them first, from all starts, and then
  /// once on all.
  int part = 150;
  /// Beyond this many runs some of them tell the shape and nearest runs the details (see
  /// layered_kriging_fit()).
  int most_dense = 3000;
  /// How many other krigings that the runs allow the variance takes in (see kriging_ensemble()); 0: none.
  int draws = 0;
  /// With more runs than this the likeliest stands for all.
  int most_drawn_for = most_sought_in_folds;
  /// Takes `warm_start` as it is and seeks nothing.
  bool keep_lengths = false;
  /// Where the first start begins: ln θ a length, then ln nugget if one is estimated. Empty: the best
  /// screened point. With it, no other start is made.
  std::vector<double> warm_start;
  /// If set, gets the number of likelihoods of each local optimisation; for measuring.
  std::vector<int>* evaluations = nullptr;
};

/// Is the noise told, and not sought with the lengths?
inline bool noise_is_given(KrigingOptions::Nugget nugget) {
  return nugget == KrigingOptions::Nugget::fixed || nugget == KrigingOptions::Nugget::replicates;
}

/// Fits by the criterion, with one correlation length a parameter in units of its span, and one a choice of
/// three or more.
///
/// \throws Error  fewer than two different runs; a response that never varies; NaN; no more runs than terms
///                in the trend; `replicates` without any.
Fit kriging_fit(KrigingOptions options = {});

/// The same again on part of the runs, from where the fit to all ended, or there if that had many runs.
/// \param whole  outlives what is made.
Fit kriging_again(KrigingOptions options, const Surrogate& whole);

}  // namespace renth
