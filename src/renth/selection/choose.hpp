// Fitting, and choosing the kind that predicts best.
#pragma once
#include <renth/quality/quality.hpp>
#include <renth/selection/choose_terms.hpp>
#include <renth/surrogate/kinds.hpp>
#include <string>
#include <vector>

namespace renth {

/// One kind that was tried. NaN figures when it could not be fitted; `why` then says so.
struct Tried {
  std::string kind;
  double q2 = 0, rmse_cv = 0;
  std::string why;
};

/// A surrogate with its cross-validation.
struct FittedResponse {
  std::shared_ptr<const Surrogate> surrogate;
  CrossValidation cv;
  std::vector<Tried> tried;
  std::string why;                        ///< one sentence: why this kind
  std::vector<TermSelection> selections;  ///< one an output, if terms were chosen
};

/// Fits one kind, or, if `kind` is empty, every kind on identical folds, and keeps the one with the
/// largest Q². Of equals the first of the table, the simplest, is kept.
///
/// \param choice  how the terms of a polynomial are chosen; every fold chooses again.
/// \throws Error  the kind named (or, without a name, every kind) cannot be fitted.
FittedResponse fit_response(const Space& space, const Data& data, std::string_view kind,
                            const FitRequest& request, Seed seed, const TermChoice& choice = {});

}  // namespace renth
