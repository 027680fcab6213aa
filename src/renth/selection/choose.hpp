// Fitting, and choosing the kind and the settings that predict best.
#pragma once
#include <functional>
#include <renth/fit/fit.hpp>
#include <renth/fit/methods.hpp>
#include <renth/numeric/random.hpp>
#include <renth/quality/quality.hpp>
#include <renth/selection/choose_terms.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kinds.hpp>
#include <string>
#include <vector>

namespace renth {

/// One candidate that was tried. NaN figures when it could not be fitted; `why` then says so.
struct Tried {
  std::string kind;
  double q2 = 0, rmse_cv = 0;  ///< over all repeats of cross-validation
  std::string why;
  std::string settings;  ///< of the kind; empty if it has none
};

/// How the choice is made.
struct ChoosingOptions {
  int most_candidates = 0;      ///< 0: all; else the first of the list, simplest first
  int repeats = 0;              ///< of cross-validation; 0: as suggested_repeats
  bool drop_parameters = true;  ///< try without the parameters that carry no information
  /// Called before each candidate is tried: how many are done, how many there are, its name.
  std::function<void(int, int, const std::string&)> progress = [](int, int, const std::string&) {};
};

/// Once where every run is a fold of its own or there are more than 1000; three times up to 400, else twice.
int suggested_repeats(const Data& data);

/// What may be asked of a fit. The defaults: all kinds, in all their ways, and the one that predicts best.
struct FitOptions {
  std::string kind =
      {};  ///< polynomial, kriging, chaos, rbf, moving or blend; best of all; empty: kind_asked()
  FitRequest request = {};        ///< settings of the kinds
  TermChoice choice = {};         ///< how the terms of a polynomial are chosen; every fold chooses again
  ChoosingOptions choosing = {};  ///< how the choice among kinds is made
  Seed seed = 1;                  ///< of folds and starts
};

/// The kind that options ask for: the one named, else that whose settings are given (terms, their choice, a
/// transformation or weights: polynomial; kernel, trend, nugget, criterion or no prior: kriging; a basis:
/// rbf), else none, which is the one that predicts best; that too if the kind is called best, whatever
/// settings are given. \param weighted  do the runs have weights? \throws Error  an unknown kind; settings of
/// two kinds, or of another than the one named.
std::string kind_asked(const FitOptions& options, bool weighted = false);

/// A surrogate with its cross-validation.
struct FittedResponse {
  std::shared_ptr<const Surrogate> surrogate;
  CrossValidation cv;
  std::vector<Tried> tried;
  std::string why;                        ///< one sentence: why this kind
  std::vector<TermSelection> selections;  ///< one an output, if terms were chosen
  std::string settings;                   ///< of the kind, in words
  std::vector<Eigen::Index> idle;         ///< parameters that it leaves out
};

/// Fits every candidate that the kind (empty: all kinds) and the request leave, on identical folds, and keeps
/// the one that predicts best: the smallest mean squared error over the repeats, or the simplest candidate
/// whose error is larger by no more than one standard error of the difference, and by no more than 5 % in
/// RMSE, the noise that kriging sees taken out of both: what noise drowns is not as good. Simplest first are
/// polynomial, kriging on fewer parameters, kriging, chaos, rbf, moving, and the blend of the best of each
/// kind. Kriging, which seldom errs much, is left for one that is less simple only if that one's error is
/// smaller by more than two standard errors; the 5 % do not count there.
///
/// Where the weights of the best kriging cancel so far that rounding could be seen in ten digits, krigings
/// about quadratic and cubic trends are tried too, if there are three runs a term.
///
/// A candidate whose error on the first fifth of the folds is more than three times that of the best so far,
/// by more than three standard errors, is left behind: its figures are of those folds, and it is not chosen.
///
/// The choice is made again for every fold, without the errors of its runs, and the fold is predicted by what
/// was chosen then: so the stated error pays for the choosing. For a response of several outputs candidates
/// go by its shapes, and the best of them is also tried an axis point at a time.
///
/// Stated deviations of all kinds but polynomials are multiplied by deviation_factor(), so that intervals
/// hold on the runs, each left out.
///
/// \throws Error  as kind_asked() and check_data(); the kind asked for (or, without one, every kind) cannot
/// be
///                fitted.
FittedResponse fit_response(const Space& space, const Data& data, const FitOptions& options = {});

/// What a surrogate of this kind and Q² was chosen among, for judge().
Contenders contenders(const std::vector<Tried>& tried, std::string_view kind, double q2);

/// A fit that does on any runs what was chosen: the kind and settings, or, of a blend and of what is fitted
/// on fewer parameters, the best plain candidate that was tried.
///
/// \param whole  what was chosen; its terms, if it is a polynomial.
Fit fit_as_chosen(const Space& space, const Data& data, const std::vector<Tried>& tried,
                  const std::string& settings, const FitRequest& request, const Surrogate& whole);

}  // namespace renth
