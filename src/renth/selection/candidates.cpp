#include <fmt/format.h>

#include <algorithm>
#include <renth/fit/along_axis.hpp>
#include <renth/fit/fit.hpp>
#include <renth/fit/kriging_fit.hpp>
#include <renth/fit/methods.hpp>
#include <renth/fit/on_active_parameters.hpp>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/fit/regression.hpp>
#include <renth/numeric/random.hpp>
#include <renth/selection/candidates.hpp>
#include <renth/selection/idle.hpp>
#include <renth/surrogate/along.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/reduced.hpp>
#include <renth/terms/confounding.hpp>

namespace renth {
namespace {

constexpr std::string_view shapes_suffix = "by its shapes";

/// The polynomial whose terms AICc chooses, here and in every fold from the same candidates.
FitMethod automatic_polynomial(const Space& space, const Data& data, const FitRequest& request) {
  PolynomialOptions options;
  options.terms = suggested_terms(space, data.inputs, data.blocks);
  options.transform = request.transform;
  options.confounded = Confounded::leave_out;
  TermChoice choice;
  choice.method = TermChoice::Method::both;
  choice.rule = TermChoice::Rule::aicc;
  const Fit fit = choosing_fit(options, choice);
  return {"polynomial", "terms by AICc", fit, [fit](const Surrogate&) { return fit; }};
}

bool is_curve(const Data& data) {
  return data.outputs.cols() > 1;
}

Candidate whole(const Data& data, FitMethod method) {
  const double complexity = complexity_of(method.kind);
  // A polynomial is read, an axis point at a time; the others follow the shapes.
  if (is_curve(data)) method = method.kind == "polynomial" ? for_each_axis_point(method) : for_shapes(method);
  return {std::move(method), complexity};
}

}  // namespace

double complexity_of(std::string_view kind) {
  const auto& kinds = surrogate_kinds();
  for (std::size_t k = 0; k < kinds.size(); ++k)
    if (kinds[k].name == kind) return double(k);
  return double(kinds.size());  // a blend
}

std::vector<Candidate> candidates_of(const Space& space, const Data& data, std::string_view kind,
                                     const FitRequest& request) {
  std::vector<Candidate> out;
  const bool all = kind.empty() || kind == "blend";
  for (const SurrogateKind& k : surrogate_kinds()) {
    if (!all && k.name != kind) continue;
    if (all && k.name == "polynomial" && request.terms.empty())
      out.push_back(whole(data, automatic_polynomial(space, data, request)));
    double settings = 0;  // the plainest first
    for (const FitMethod& method : k.methods(space, data, request)) {
      out.push_back(whole(data, method));
      out.back().complexity += 0.05 * settings++;
    }
  }
  return out;
}

Candidate chosen_polynomial(const Space& space, const Data& data, const FitRequest& request,
                            const TermChoice& choice, std::vector<TermSelection>& selections) {
  PolynomialOptions options;
  options.terms = request.terms.empty() ? suggested_terms(space, data.inputs, data.blocks)
                                        : parse_terms(space, request.terms);
  options.transform = request.transform;
  std::vector<Fit> whole;
  for (Eigen::Index k = 0; k < data.outputs.cols(); ++k) {
    selections.push_back(choose_terms(space, data.with_output(k), options.terms, choice, request.transform));
    PolynomialOptions chosen = options;
    chosen.terms = selections.back().terms;
    whole.push_back(polynomial_fit(chosen));
  }
  options.confounded = Confounded::leave_out;
  const Fit again = along_axis({choosing_fit(options, choice)});
  return {{"polynomial", "terms chosen", along_axis(whole), [again](const Surrogate&) { return again; }},
          complexity_of("polynomial")};
}

Candidate on_fewer_parameters(const Candidate& candidate, const Process& lengths,
                              const std::vector<Eigen::Index>& known, Eigen::Index runs) {
  KrigingOptions options;
  options.kernel = lengths.kernel;
  options.warm_start = lengths.warm_start();
  const FitMethod inner = candidate.method;
  const auto find = active_parameters_of(options);
  const auto active = [find, known, runs](const Space& space, const Data& data, Seed seed) {
    return data.size() == runs ? known : find(space, data, seed);
  };
  Candidate out = candidate;
  out.complexity -= 0.01;
  out.method.settings += inner.settings.empty() ? "fewer parameters" : ", fewer parameters";
  out.method.fit = on_active_parameters(active, inner.fit);
  out.method.again = [active, inner, runs](const Surrogate& whole) {
    const auto& reduced = static_cast<const Reduced&>(whole);
    const auto kept = reduced.kept();
    const Fit warm = inner.again(reduced.inner());
    // Of many runs the folds keep what they hang on, as they keep lengths.
    if (runs > most_sought_in_folds)
      return on_active_parameters([kept](const Space&, const Data&, Seed) { return kept; }, warm);
    // Where the same parameters matter the search starts where it ended before, else afresh.
    return on_active_parameters(active, [kept, warm, inner](const Space& space, const Data& data, Seed seed) {
      return (std::size_t(space.size()) == kept.size() ? warm : inner.fit)(space, data, seed);
    });
  };
  return out;
}

Candidate point_by_point(const Space& space, const Data& data, const Candidate& shapes,
                         const FitRequest& request) {
  for (const FitMethod& method : surrogate_kind(shapes.method.kind).methods(space, data, request)) {
    const std::string settings =
        method.settings + (method.settings.empty() ? "" : ", ") + std::string(shapes_suffix);
    if (settings == shapes.method.settings) {
      FitMethod points = for_each_axis_point(method);
      points.settings += points.settings.empty() ? "an axis point at a time" : ", an axis point at a time";
      return {points, shapes.complexity};
    }
  }
  return shapes;
}

}  // namespace renth
