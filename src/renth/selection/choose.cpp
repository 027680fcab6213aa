#include <fmt/format.h>

#include <cmath>
#include <limits>
#include <renth/error.hpp>
#include <renth/selection/choose.hpp>
#include <renth/surrogate/along.hpp>
#include <renth/terms/confounding.hpp>

namespace renth {
namespace {

struct Candidate {
  std::shared_ptr<const Surrogate> surrogate;
  CrossValidation cv;
  PredictiveError error;
};

Candidate fit_kind(const Space& space, const Data& data, const Fit& fit,
                   const std::function<Fit(const Surrogate&)>& again, const Folds& folds, Seed seed) {
  Candidate c;
  c.surrogate = fit(space, data, seed);
  c.cv = cross_validate(space, data, folds, again(*c.surrogate), seed);
  c.error = predictive_error(data, c.cv);
  return c;
}

Candidate fit_kind(const Space& space, const Data& data, const SurrogateKind& kind, const FitRequest& request,
                   const Folds& folds, Seed seed) {
  return fit_kind(space, data, kind.fit(space, data, request), kind.again, folds, seed);
}

/// A polynomial with its terms chosen, here and in every fold from the same candidates.
Candidate fit_chosen(const Space& space, const Data& data, const FitRequest& request,
                     const TermChoice& choice, const Folds& folds, Seed seed,
                     std::vector<TermSelection>& selections) {
  PolynomialOptions options;
  options.terms =
      request.terms.empty() ? suggested_terms(space, data.inputs) : parse_terms(space, request.terms);
  options.transform = request.transform;
  for (Eigen::Index k = 0; k < data.outputs.cols(); ++k) {
    selections.push_back(choose_terms(space, data.with_output(k), options.terms, choice, request.transform));
  }
  std::vector<Fit> whole;
  for (const TermSelection& s : selections) {
    PolynomialOptions chosen = options;
    chosen.terms = s.terms;
    whole.push_back(polynomial_fit(chosen));
  }
  const auto again = [&](const Surrogate&) {
    PolynomialOptions part = options;
    part.confounded = Confounded::leave_out;
    return along_axis({choosing_fit(part, choice)});
  };
  return fit_kind(space, data, along_axis(whole), again, folds, seed);
}

}  // namespace

FittedResponse fit_response(const Space& space, const Data& data, std::string_view kind,
                            const FitRequest& request, Seed seed, const TermChoice& choice) {
  const Folds folds = make_folds(data, seed);
  FittedResponse out;
  if (!kind.empty()) {
    Candidate c = choice.any() ? fit_chosen(space, data, request, choice, folds, seed, out.selections)
                               : fit_kind(space, data, surrogate_kind(kind), request, folds, seed);
    out.surrogate = std::move(c.surrogate);
    out.cv = std::move(c.cv);
    out.why = "the kind that was asked for";
    out.tried.push_back({std::string(kind), c.error.q2, c.error.rmse_cv, ""});
    return out;
  }
  constexpr double undefined = std::numeric_limits<double>::quiet_NaN();
  std::string problems;
  double best = -std::numeric_limits<double>::infinity();
  std::string chosen;
  for (const SurrogateKind& k : surrogate_kinds()) {
    try {
      Candidate c = fit_kind(space, data, k, request, folds, seed);
      out.tried.push_back({k.name, c.error.q2, c.error.rmse_cv, ""});
      if (!out.surrogate || c.error.q2 > best) {
        best = c.error.q2;
        chosen = k.name;
        out.surrogate = std::move(c.surrogate);
        out.cv = std::move(c.cv);
      }
    } catch (const Error& e) {
      out.tried.push_back({k.name, undefined, undefined, e.what()});
      problems += fmt::format("{}{}: {}", problems.empty() ? "" : "; ", k.name, e.problem());
    }
  }
  if (!out.surrogate)
    throw Error("no kind of surrogate can be fitted: " + problems, "fit",
                "add runs, or look at those there are");
  out.why = fmt::format("{} has the largest Q² ({:.4f}) of the kinds tried", chosen, best);
  return out;
}

}  // namespace renth
