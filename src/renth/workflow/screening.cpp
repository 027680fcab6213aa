#include <algorithm>
#include <cmath>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <renth/workflow/fit_asked.hpp>
#include <renth/workflow/ranking.hpp>
#include <renth/workflow/screening.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// The terms of a polynomial that know nothing but the parameters that are kept, by their places among those.
Terms terms_left(const Terms& terms, const std::vector<Index>& kept) {
  Terms out;
  for (Term term : terms) {
    bool whole = true;
    for (Factor& f : term.factors) {
      const auto at = std::find(kept.begin(), kept.end(), Index(f.parameter));
      whole = whole && at != kept.end();
      f.parameter = int(at - kept.begin());
    }
    if (whole) out.push_back(term);
  }
  return out;
}

/// Q² of what was chosen, fitted on these parameters alone.
double q2_of(Session& session, const StoredSurrogate& stored, const Data& data,
             const std::vector<Index>& kept) {
  const Study& study = session.study;
  std::vector<Parameter> parameters;
  for (const Index j : kept) parameters.push_back(study.space[j]);
  const Space space(parameters);
  Data part = data;
  part.inputs = Eigen::MatrixXd(data.inputs(Eigen::all, kept));
  const Seed seed = nlohmann::json::parse(stored.options).value("seed", study.seed);
  const auto* polynomial = polynomial_of(*stored.surrogate);
  const Fit fit = polynomial ? polynomial_fit({terms_left(polynomial->state().terms, kept),
                                               Confounded::leave_out, polynomial->state().transform})
                             : fit_as_stored(space, part, stored);
  // Runs that differ in what is fixed alone are replicates now: the folds stay those of all.
  return predictive_error(data, cross_validate(space, part, make_folds(study.space, data, seed), fit, seed))
      .q2;
}

}  // namespace

Screening screen_parameters(Session& session, const RankResult& ranked, double threshold) {
  const Study& study = session.study;
  Screening out;
  out.threshold = threshold;
  std::vector<Index> kept;
  for (Index j = 0; j < study.space.size(); ++j) {
    bool matters = false, idle = true;
    for (const auto& one : ranked.responses) {
      if (!(one.ranking.variance > 0)) continue;  // nothing matters to what never varies
      for (const RankedParameter& p : one.ranking.parameters) {
        if (p.parameter != j) continue;
        const bool shapley = one.ranking.method == "shapley";
        matters = matters || (shapley ? p.low : p.total_low) >= threshold;
        idle = idle && (shapley ? p.high : p.total_high) < threshold;
      }
    }
    (matters ? out.keep : idle ? out.fix : out.undecided).push_back(study.space[j].name);
    if (matters || !idle) kept.push_back(j);
  }
  for (const auto& one : ranked.responses) {
    const auto stored = session.surrogate(one.response);
    if (!stored) continue;  // a derived one
    Screening::OfResponse of{one.response};
    const RunData data =
        fitted_data(session, study.responses[std::size_t(study.response(one.response))], *stored);
    if (is_as_fitted(data, *stored)) {
      of.q2 = predictive_error(data.data, stored->cv).q2;
      if (Index(kept.size()) == study.space.size())
        of.q2_kept = of.q2;
      else if (!kept.empty())
        try {
          of.q2_kept = q2_of(session, *stored, data.data, kept);
        } catch (const Error& error) {
          if (error.kind() != ErrorKind::request) throw;  // what was asked for names a parameter that is gone
        }
    }
    out.responses.push_back(of);
  }
  return out;
}

}  // namespace renth
