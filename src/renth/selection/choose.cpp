#include <fmt/format.h>

#include <cmath>
#include <limits>
#include <renth/selection/choose.hpp>

namespace renth {
namespace {

struct Candidate {
  std::shared_ptr<const Surrogate> surrogate;
  CrossValidation cv;
  Quality quality;
};

Candidate fit_kind(const Space& space, const Data& data, const SurrogateKind& kind, const FitRequest& request,
                   const Folds& folds, Seed seed) {
  Candidate c;
  c.surrogate = kind.fit(space, data, request)(space, data, seed);
  c.cv = cross_validate(space, data, folds, kind.again(*c.surrogate), seed);
  c.quality = measure_quality(*c.surrogate, data, c.cv, nullptr);
  return c;
}

}  // namespace

FittedResponse fit_response(const Space& space, const Data& data, std::string_view kind,
                            const FitRequest& request, Seed seed) {
  const Folds folds = make_folds(data, seed);
  FittedResponse out;
  if (!kind.empty()) {
    Candidate c = fit_kind(space, data, surrogate_kind(kind), request, folds, seed);
    out.surrogate = std::move(c.surrogate);
    out.cv = std::move(c.cv);
    out.why = "the kind that was asked for";
    out.tried.push_back({std::string(kind), c.quality.q2, c.quality.rmse_cv, ""});
    return out;
  }
  constexpr double undefined = std::numeric_limits<double>::quiet_NaN();
  std::string problems;
  double best = -std::numeric_limits<double>::infinity();
  std::string chosen;
  for (const SurrogateKind& k : surrogate_kinds()) {
    try {
      Candidate c = fit_kind(space, data, k, request, folds, seed);
      out.tried.push_back({k.name, c.quality.q2, c.quality.rmse_cv, ""});
      if (!out.surrogate || c.quality.q2 > best) {
        best = c.quality.q2;
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
