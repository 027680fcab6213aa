// Choosing the terms of a polynomial: by hand, stepwise, or the best of all subsets.
#pragma once
#include <renth/base/words.hpp>
#include <renth/fit/fit.hpp>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/selection/subset.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <renth/surrogate/transform.hpp>
#include <string>
#include <string_view>
#include <vector>

namespace renth {

/// How terms are chosen. The defaults choose nothing.
struct TermChoice {
  enum class Method {
    none,
    forward,      ///< from the constant, one term in at a time
    backward,     ///< from all terms, one out at a time
    both,         ///< forward, and after each step out again what no longer matters
    best_subset,  ///< the best of all subsets, by branch and bound; at most 30 terms
  } method = Method::none;
  enum class Rule { p_value, aicc, bic, predicted_r2 } rule = Rule::p_value;
  double enter = 0.05;  ///< p-value below which a term comes in
  double leave = 0.10;  ///< p-value above which a term goes; not below `enter`
  /// A term is in only with all that have one power less in one factor (J. A. Nelder, Journal of the Royal
  /// Statistical Society A 140, 1977): a surface without them depends on where zero lies.
  bool heredity = true;
  Terms keep;  ///< always in
  Terms drop;  ///< taken out before anything else

  bool any() const { return method != Method::none || !drop.empty(); }
};

inline constexpr EnumWords<TermChoice::Method, 5> choice_method_words{
    "way of choosing terms", {"none", "forward", "backward", "both", "best-subset"}};
inline constexpr EnumWords<TermChoice::Rule, 4> choice_rule_words{"rule",
                                                                  {"p", "aicc", "bic", "predicted-r2"}};

/// One term in or out.
struct ChoiceStep {
  int step = 0;  ///< 0: a term that never came in
  bool added = false;
  std::string term;
  double p = 0;          ///< of its F-test in the model with it
  double criterion = 0;  ///< of the model after the step: AICc, BIC, predicted R²; residual SS for p-values
  std::string rule;      ///< why, in words
};

/// What was chosen and how.
struct TermSelection {
  Terms terms;
  std::vector<ChoiceStep> steps;
  /// A term that would go by itself and stays because another needs it.
  struct Kept {
    std::string term, because;
    double p = 0;
  };
  std::vector<Kept> kept;
};

/// \param candidates  the largest model.
/// \throws Error  a dropped term that another needs; terms to keep or drop that are no candidates; enter >
/// leave;
///                candidates that the runs cannot carry (backward and best_subset); more than 30 terms for
///                the best subset.
TermSelection choose_terms(const Space& space, const Data& data, const Terms& candidates,
                           const TermChoice& choice, const Transform& transform = {});

/// A polynomial fit that chooses its terms from those runs that it is given, so that cross-validation pays
/// for the choice too. Options' terms are the candidates; empty: suggested_terms().
Fit choosing_fit(PolynomialOptions options, TermChoice choice);

}  // namespace renth
