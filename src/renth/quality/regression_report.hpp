// Everything a statistician asks of a polynomial fit, in one struct.
#pragma once
#include <optional>
#include <renth/quality/anova.hpp>
#include <renth/quality/box_cox.hpp>
#include <renth/quality/diagnostics.hpp>
#include <renth/quality/lenth.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/polynomial.hpp>

namespace renth {

/// The size of a term free of its column's length: coefficient/√((XᵀX)⁻¹)_jj, which is the coefficient times
/// √n in an orthogonal two-level plan. With a standard error s it is s·t.
struct Effect {
  std::string term;
  double value = 0;
  double t = 0;         ///< NaN when saturated
  bool active = false;  ///< |t| beyond Student's bound; when saturated beyond Lenth's margin
};

/// Of runs in whole plots: what errors are like between and within them.
struct ErrorStrata {
  int plots = 0;                         ///< 0: there are none
  double sd_between = 0, sd_within = 0;  ///< 0: no more between plots than runs explain
  double df_between = 0, df_within = 0;  ///< none between: sd_between is taken to be sd_within
};

struct RegressionReport {
  Anova anova;
  ErrorStrata strata;
  Diagnostics diagnostics;
  std::optional<BoxCox> box_cox;  ///< of positive responses that are not transformed
  std::vector<Effect> effects;    ///< all terms but the constant
  double bound = 0;               ///< on |t| at the level
  Lenth lenth;                    ///< of the effects; NaN for fewer than three
  double max_vif = 0;
  std::string max_vif_term;
  int terms = 0;         ///< p, blocks counted
  bool squares = false;  ///< the model can bend along a parameter
};

/// \param data  the runs that the model was fitted to.
RegressionReport report_regression(const Polynomial& model, const Data& data, double level = 0.95);

}  // namespace renth
