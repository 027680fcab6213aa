// Fitting a polynomial, and fitting it again for its statistics.
#pragma once
#include <renth/fit/fit.hpp>
#include <renth/fit/regression.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <renth/surrogate/transform.hpp>

namespace renth {

/// Options of a polynomial fit.
struct PolynomialOptions {
  /// The terms, by parse_terms; empty: suggested_terms() of the runs.
  Terms terms;
  Confounded confounded = Confounded::refuse;
  Transform transform;  ///< of the response; predictions are transformed back
};

/// Fits β by regress(). Blocks, if there are several, enter as sum-to-zero contrasts; predictions are for the
/// average block and a run of weight 1.
///
/// \throws Error  as regress().
Fit polynomial_fit(PolynomialOptions options = {});

/// The fit again on the runs it was made from: everything its statistics need.
inline Regression regression_of(const Polynomial& model, const Data& data) {
  return regress(model.state().space, data, model.state().terms, model.state().transform,
                 Confounded::leave_out);
}

}  // namespace renth
