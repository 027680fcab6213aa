#include <fmt/format.h>

#include <algorithm>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/fit/along_axis.hpp>
#include <renth/fit/along_components.hpp>
#include <renth/fit/chaos_fit.hpp>
#include <renth/fit/methods.hpp>
#include <renth/fit/moving_fit.hpp>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/fit/rbf_fit.hpp>
#include <renth/fit/regression.hpp>
#include <renth/fit/warped_fit.hpp>
#include <renth/surrogate/along.hpp>
#include <renth/surrogate/chaos.hpp>
#include <renth/surrogate/components.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/moving.hpp>
#include <renth/surrogate/polynomial.hpp>

namespace renth {
namespace {

std::vector<FitMethod> polynomial_methods(const Space& space, const Data&, const FitRequest& request) {
  PolynomialOptions options;
  if (!request.terms.empty()) options.terms = parse_terms(space, request.terms);
  options.transform = request.transform;
  const auto again = [](const Surrogate& whole) {
    const auto& one = static_cast<const Polynomial&>(whole);
    return polynomial_fit({one.state().terms, Confounded::refuse, one.state().transform});
  };
  return {{"polynomial", request.terms.empty() ? "all terms that the runs carry" : request.terms,
           polynomial_fit(options), again}};
}

/// Where few runs scatter, the criteria have one optimum that takes the response for noise and others that
/// see a surface in it. A fold that starts where the fit to all runs ended stays with the one that its own
/// runs helped to choose: measured by bench-scatter, with 30 runs the stated Q² was too high by 0.09 on
/// average and afresh by 0.05.
bool sought_afresh(const Data& data) {
  return data.noisy && data.size() <= 40;
}

std::vector<FitMethod> chaos_methods(const Space&, const Data& data, const FitRequest&) {
  const auto again = [afresh = sought_afresh(data)](const Surrogate& whole) {
    if (afresh) return chaos_fit();
    const Chaos::State& state = static_cast<const Chaos&>(whole).state();
    ChaosOptions options;
    options.norms = {state.norm};
    options.least_degree = std::max(1, state.degree - 1);
    options.most_degree = state.degree + 1;
    return chaos_fit(options);
  };
  return {{"chaos", "", chaos_fit(), again}};
}

std::vector<FitMethod> kriging_methods(const Space& space, const Data& data, const FitRequest& request) {
  KrigingOptions options;
  options.criterion = request.criterion;
  options.nugget = request.nugget;
  options.noise_variance = request.noise_variance;
  options.prior = request.prior;
  options.kernel = request.kernel;
  if (data.outputs.cols() == 1) options.draws = 12;
  // With few runs cross-validation cannot tell whether a trend helps; with very many it takes minutes.
  std::vector<std::string> trends = {"constant"};
  if (data.size() >= 10 * space.size() && data.size() <= options.most_dense) trends.push_back("linear");
  if (!request.trend.empty()) trends = {request.trend};
  const bool afresh = sought_afresh(data);
  const std::string kernel = request.kernel ? std::string(name(*request.kernel)) + ", " : "";
  std::vector<FitMethod> out;
  for (const std::string& trend : trends) {
    KrigingOptions o = options;
    o.trend = trend;
    const auto again = [o, afresh](const Surrogate& whole) {
      return afresh ? kriging_fit(o) : kriging_again(o, whole);
    };
    out.push_back({"kriging", kernel + (trend == "constant" || trend == "1" ? "constant" : trend + " trend"),
                   kriging_fit(o), again});
  }
  constexpr int fewest_for_a_scale = 20;  // fewer mislead: what is likely and what predicts part ways
  if (data.outputs.cols() == 1 && data.size() >= fewest_for_a_scale &&
      request.criterion == KrigingCriterion::likelihood && !noise_is_given(request.nugget)) {
    KrigingOptions o = options;
    o.trend = trends.front();
    const auto again = [o](const Surrogate& whole) { return warped_kriging_again(o, whole); };
    out.push_back(
        {"kriging", kernel + "logarithmic scale", warped_kriging_fit(o, !request.take_scale), again});
  }
  return out;
}

std::vector<FitMethod> rbf_methods(const Space&, const Data&, const FitRequest& request) {
  RbfOptions options;
  if (request.basis) options.bases = {*request.basis};
  // The basis stays; its shape and the smoothing are chosen again from those near by.
  const auto again = [options](const Surrogate& whole) {
    const Rbf::State& state = static_cast<const Rbf&>(whole).state();
    RbfOptions part = options;
    part.bases = {state.basis};
    part.shapes.clear();
    for (const double s : options.shapes)
      if (s > 0.45 * state.shape_factor && s < 2.2 * state.shape_factor) part.shapes.push_back(s);
    return rbf_fit(part);
  };
  return {{"rbf", request.basis ? std::string(name(*request.basis)) : "", rbf_fit(options), again}};
}

std::vector<FitMethod> moving_methods(const Space&, const Data&, const FitRequest&) {
  const auto again = [](const Surrogate& whole) {
    const Moving::State& state = static_cast<const Moving&>(whole).state();
    MovingOptions options;
    options.models = {state.model};
    options.near = state.near;
    options.judged = 60;
    return moving_fit(options);
  };
  return {{"moving", "", moving_fit(), again}};
}

}  // namespace

const std::vector<SurrogateKind>& surrogate_kinds() {
  static const std::vector<SurrogateKind> kinds = {
      {"polynomial", "least squares on polynomial terms", polynomial_methods},
      {"kriging", "a Gaussian process through the runs", kriging_methods},
      {"chaos", "few of many orthonormal polynomials, chosen by least angles", chaos_methods},
      {"rbf", "radial basis functions with a polynomial tail", rbf_methods},
      {"moving", "a local polynomial round every point", moving_methods},
  };
  return kinds;
}

const SurrogateKind& surrogate_kind(std::string_view name) {
  std::vector<std::string> known;
  for (const SurrogateKind& kind : surrogate_kinds()) {
    if (kind.name == name) return kind;
    known.push_back(kind.name);
  }
  known.push_back("blend");
  refuse_unknown("kind of surrogate", name, "fit", known);
}

FitMethod for_each_axis_point(const FitMethod& m) {
  const auto again = [m](const Surrogate& whole) -> Fit {
    const auto* curve = dynamic_cast<const Along*>(&whole);
    if (!curve) return m.again(whole);
    std::vector<Fit> fits;
    for (std::size_t k = 0; k < curve->size(); ++k) fits.push_back(m.again(curve->member(k)));
    return along_axis(std::move(fits));
  };
  return {m.kind, m.settings, along_axis({m.fit}), again};
}

FitMethod for_shapes(const FitMethod& m) {
  const auto again = [m](const Surrogate& whole) -> Fit {
    const auto* curve = dynamic_cast<const Components*>(&whole);
    if (!curve) return m.again(whole);
    std::vector<Fit> fits;
    for (const auto& score : curve->state().scores) fits.push_back(m.again(*score));
    return along_components(std::move(fits));
  };
  return {m.kind, m.settings + (m.settings.empty() ? "by its shapes" : ", by its shapes"),
          along_components({m.fit}), again};
}

}  // namespace renth
