#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/fit/blocks.hpp>
#include <renth/fit/fit.hpp>
#include <renth/fit/methods.hpp>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/fit/regression.hpp>
#include <renth/fit/replicates.hpp>
#include <renth/numeric/random.hpp>
#include <renth/quality/coverage.hpp>
#include <renth/quality/error_correlation.hpp>
#include <renth/selection/candidates.hpp>
#include <renth/selection/contest.hpp>
#include <renth/selection/idle.hpp>
#include <renth/surrogate/along.hpp>
#include <renth/surrogate/blend.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kriging.hpp>
#include <renth/surrogate/kriging_ensemble.hpp>
#include <renth/surrogate/layered.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <renth/surrogate/reduced.hpp>
#include <renth/surrogate/rescaled.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;
constexpr std::size_t none = Contest::none;

/// The kriging whose lengths tell which parameters matter, if one was fitted.
const Process* lengths_of(const std::vector<Entry>& entries) {
  for (const Entry& e : entries) {
    if (!e.usable()) continue;
    const Process* process = likeliest_process(*e.surrogate);
    if (process && !dynamic_cast<const Layered*>(e.surrogate.get())) return process;
  }
  return nullptr;
}

/// Those that can gain most from it once more on the parameters that matter, if some do not: the best
/// kriging, and the kinds that treat all parameters alike.
std::vector<Candidate> without_idle(const Space& space, const Data& data, const std::vector<Entry>& entries) {
  std::vector<Candidate> out;
  const Process* lengths = lengths_of(entries);
  if (!lengths || data.outputs.cols() > 1) return out;
  const Data levelled = without_block_effects(space, data);
  const std::vector<Index> active = active_parameters(space, levelled, *lengths);
  if (Index(active.size()) == space.size()) return out;
  const auto fewer = [&](const Entry& e) {
    return on_fewer_parameters(e.candidate, *lengths, active, data.size());
  };
  const Entry* best = nullptr;
  for (const Entry& e : entries) {
    if (!e.usable()) continue;
    const std::string& kind = e.candidate.method.kind;
    if (kind == "rbf" || kind == "moving") out.push_back(fewer(e));
    if (kind == "kriging" && (!best || e.rmse < best->rmse)) best = &e;
  }
  if (best) out.insert(out.begin(), fewer(*best));
  return out;
}

/// What rounding may do to the mean of a kriging whose weights cancel, over the spread of its runs.
double rounding_of(const Surrogate& surrogate, const Data& data) {
  const Eigen::VectorXd* weights = nullptr;
  if (const auto* k = dynamic_cast<const Kriging*>(&surrogate)) weights = &k->state().weights;
  if (const auto* e = dynamic_cast<const KrigingEnsemble*>(&surrogate))
    weights = &e->state().modes.front().weights;
  const double spread = data.outputs.maxCoeff() - data.outputs.minCoeff();
  if (!weights || !(spread > 0)) return 0;
  return weights->cwiseAbs().sum() * std::numeric_limits<double>::epsilon() / spread;
}

/// A trend that the choice tries besides: its settings, and how many runs a term it wants.
constexpr const char* richer[] = {"quadratic", "cubic"};
constexpr Index runs_a_term = 3;

/// Krigings about a richer trend, where the weights of the best one cancel: what is so smooth is nearly a
/// polynomial, and with that taken off the weights are small.
std::vector<Candidate> with_richer_trends(const Space& space, const Data& data, const FitRequest& request,
                                          const std::vector<Entry>& entries) {
  constexpr double bearable = 1e-10;  // digits that are lost in any other arithmetic
  std::vector<Candidate> out;
  if (!request.trend.empty() || data.outputs.cols() > 1) return out;
  const Entry* best = nullptr;
  for (const Entry& e : entries)
    if (e.usable() && e.candidate.method.kind == "kriging" && (!best || e.rmse < best->rmse)) best = &e;
  if (!best || !(rounding_of(*best->surrogate, data) > bearable)) return out;
  for (const char* trend : richer) {
    if (Index(parse_terms(space, trend).size()) * runs_a_term > data.size()) break;
    FitRequest same = request;
    same.trend = trend;
    out.push_back(candidates_of(space, data, "kriging", same).front());
    out.back().complexity += 0.15 + 0.05 * double(out.size());
  }
  return out;
}

std::vector<Index> left_out(const Space& space, const Surrogate& surrogate) {
  std::vector<Index> out;
  if (const auto* reduced = dynamic_cast<const Reduced*>(&surrogate))
    for (Index j = 0; j < space.size(); ++j)
      if (std::find(reduced->kept().begin(), reduced->kept().end(), j) == reduced->kept().end())
        out.push_back(j);
  return out;
}

/// Every fold by what would have been chosen without it.
void take_folds(Contest& contest, const Data& data,
                const std::function<std::size_t(const std::vector<char>&, std::size_t*)>& choose,
                std::size_t chosen, CrossValidation& cv) {
  for (int f = 0; f < contest.folds().count; ++f) {
    const std::vector<char> rows = contest.rows_without(f);
    const std::size_t then = choose(rows, nullptr);
    if (then == none || then == chosen) continue;
    const Entry& other = contest.entries()[then];
    cv.models[std::size_t(f)] = other.cv.models[std::size_t(f)];
    for (Index i = 0; i < data.size(); ++i)
      if (!rows[std::size_t(i)]) cv.predicted.row(i) = other.cv.predicted.row(i);
  }
}

/// Polynomials have a theory of their own errors; the others are held against what was found.
void rescale(const Data& data, FittedResponse& out) {
  if (out.surrogate->kind() == "polynomial") return;
  const double factor = deviation_factor(data, out.cv);
  out.surrogate = std::make_shared<Rescaled>(out.surrogate, factor);
  for (auto& model : out.cv.models)
    if (model->kind() != "polynomial") model = std::make_shared<Rescaled>(model, factor);
}

/// A curve fitted an axis point at a time is told how its errors go together.
std::shared_ptr<const Surrogate> with_correlation(const std::shared_ptr<const Surrogate>& surrogate,
                                                  const Eigen::MatrixXd& correlation) {
  if (const auto* along = dynamic_cast<const Along*>(surrogate.get()))
    return std::make_shared<Along>(along->members(), correlation);
  const auto* blend = dynamic_cast<const Blend*>(surrogate.get());
  if (!blend) return surrogate;
  std::vector<std::shared_ptr<const Surrogate>> members;
  for (const auto& member : blend->members()) members.push_back(with_correlation(member, correlation));
  return std::make_shared<Blend>(std::move(members), blend->weights());
}

std::string reason(Contest& contest, std::size_t chosen, std::size_t smallest) {
  const Entry& winner = contest.entries()[chosen];
  if (std::isnan(winner.q2))
    return fmt::format("{} is the simplest of {} candidates, and all runs have one value", winner.name(),
                       contest.entries().size());
  if (chosen == smallest)
    return fmt::format("{} predicts runs that it has not seen best of {} candidates (Q² {:.4f})",
                       winner.name(), contest.entries().size(), winner.q2);
  return fmt::format(
      "{} is the simplest of {} candidates about as good as the best, {} (Q² {:.4f} and "
      "{:.4f})",
      winner.name(), contest.entries().size(), contest.entries()[smallest].name(), winner.q2,
      contest.entries()[smallest].q2);
}

}  // namespace

int suggested_repeats(const Data& data) {
  if (group_count(replicate_groups(data)) <= most_folds_of_one || data.size() > 1000) return 1;
  return data.size() <= 400 ? 3 : 2;
}

FittedResponse fit_response(const Space& space, const Data& data, const FitOptions& options) {
  check_data(space, data);
  const std::string kind = kind_asked(options, data.weights.size() > 0);
  const FitRequest& request = options.request;
  const TermChoice& choice = options.choice;
  const Seed seed = options.seed;
  Contest contest(space, data, seed, options.choosing,
                  request.terms.empty() ? Terms{} : parse_terms(space, request.terms));
  FittedResponse out;
  std::vector<Candidate> first;
  if (choice.any())
    first.push_back(chosen_polynomial(space, data, request, choice, out.selections));
  else
    first = candidates_of(space, data, kind, request);
  const bool single = first.size() == 1;
  const bool all = kind.empty() || kind == "blend";
  contest.expect(int(first.size()) + (all ? 1 : 0));
  contest.enter(std::move(first));
  if ((all || kind == "kriging") && !choice.any())
    contest.enter(with_richer_trends(space, data, request, contest.entries()));
  if (options.choosing.drop_parameters && (all || kind == "kriging" || kind == "rbf" || kind == "moving"))
    contest.enter(without_idle(space, data, contest.entries()));
  if (data.outputs.cols() > 1) {
    const std::size_t top = contest.best(
        contest.all_rows(), [](const Entry& e) { return e.candidate.method.kind != "polynomial"; });
    if (top != none) contest.enter({point_by_point(space, data, contest.entries()[top].candidate, request)});
  }
  if (all) contest.enter_blend();

  std::string problems;
  std::size_t smallest = none;
  for (const Entry& e : contest.entries()) {
    out.tried.push_back({e.candidate.method.kind, e.q2, e.rmse, e.problem.empty() ? e.note : e.problem,
                         e.candidate.method.settings});
    if (!e.problem.empty())
      problems += fmt::format("{}{}: {}", problems.empty() ? "" : "; ", e.name(), e.problem);
  }
  const bool blend_only = kind == "blend";
  const auto choose = [&](const std::vector<char>& rows, std::size_t* top) {
    if (!blend_only) return contest.choice(rows, top);
    const std::size_t k = contest.best_of("blend", rows);
    if (top) *top = k;
    return k;
  };
  const std::size_t chosen = choose(contest.all_rows(), &smallest);
  if (chosen == none) {
    if (single) {
      // Said as the fit itself says it.
      contest.entries()[0].candidate.method.fit(space, data, seed);
    }
    throw Error("no kind of surrogate can be fitted: " + problems, "fit",
                "add runs, or look at those there are");
  }
  const Entry& winner = contest.entries()[chosen];
  out.surrogate = winner.surrogate;
  out.idle = left_out(space, *winner.surrogate);
  out.settings = winner.candidate.method.settings;
  out.cv = winner.cv;
  take_folds(contest, data, choose, chosen, out.cv);
  out.cv.drop_folds_without_model();
  if (data.outputs.cols() > 1)
    out.surrogate = with_correlation(out.surrogate, error_correlation(data.outputs - out.cv.predicted));
  rescale(data, out);
  out.why = single ? "the kind that was asked for" : reason(contest, chosen, smallest);
  return out;
}

Fit fit_as_chosen(const Space& space, const Data& data, const std::vector<Tried>& tried,
                  const std::string& settings, const FitRequest& request, const Surrogate& whole) {
  if (const auto* polynomial = polynomial_of(whole))
    return polynomial_fit({polynomial->state().terms, Confounded::leave_out, polynomial->state().transform});
  FitRequest same = request;
  same.take_scale = true;  // on part of the runs it may not be clearly likelier
  std::vector<Candidate> known = candidates_of(space, data, "", same);
  for (const char* trend : richer)
    if (request.trend.empty() && settings.find(trend) != std::string::npos) {
      same.trend = trend;
      known.push_back(candidates_of(space, data, "kriging", same).front());
    }
  const std::size_t plain = known.size();
  for (std::size_t k = 0; k < plain && data.outputs.cols() > 1; ++k)
    known.push_back(point_by_point(space, data, known[k], request));
  const auto find = [&](std::string_view kind, const std::string& with) -> const Candidate* {
    for (const Candidate& c : known)
      if (c.method.kind == kind && c.method.settings == with) return &c;
    return nullptr;
  };
  if (const Candidate* c = find(whole.kind(), settings)) return c->method.fit;
  const Candidate* best = nullptr;
  double q2 = -std::numeric_limits<double>::infinity();
  for (const Tried& t : tried)
    if (const Candidate* c = find(t.kind, t.settings); c && t.q2 > q2) {
      best = c;
      q2 = t.q2;
    }
  return (best ? *best : known.front()).method.fit;
}

}  // namespace renth
