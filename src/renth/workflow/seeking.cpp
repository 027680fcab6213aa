#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/base/undefined.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/search/scoring.hpp>
#include <renth/search/sought.hpp>
#include <renth/workflow/failing.hpp>
#include <renth/workflow/predicting.hpp>
#include <renth/workflow/seek_robust.hpp>
#include <renth/workflow/seeking.hpp>

namespace renth {
namespace {

/// Keeps proposals out of where the solver is likely to fail, as far as that could be learned.
struct FailureRisk : LearnedFeasibility {
  Eigen::VectorXd at(Points x) const {
    return 1 - predict_in_blocks(*chance, x, {}, parallel_for).mean.col(0).array();
  }
  /// \param column  of the risk among the responses
  void add_to(SeekProblem& problem, std::size_t column) const {
    const double most = most_failure_risk(share);
    problem.constraints.push_back(
        {fmt::format("the chance that the solver fails <= {:.2g}", most),
         [column, most](const double*, const double* y) { return most - y[column]; }, 1,
         // It hardly tells which parameters failing depends on.
         std::numeric_limits<double>::infinity()});
    problem.responses = [this, without = problem.responses](Points x) {
      Eigen::MatrixXd y = without(x);
      y.conservativeResize(Eigen::NoChange, y.cols() + 1);
      y.col(y.cols() - 1) = at(x);
      return y;
    };
  }
  void tell(SeekOutcome& out, bool allow_failing) const {
    for (const Proposal& p : out.result.proposals)
      out.failure_risk.push_back(chance ? at(p.point.transpose())[0] : undefined);
    if (!chance) return;
    const double most = most_failure_risk(share);
    if (!allow_failing) {
      add_note(out.notes, "failure_risk",
               fmt::format(
                   "{:.2g} % of the runs failed: settings where the solver fails with a chance above {:.2g} "
                   "are left out; --allow-failing takes them in, renth runs --failures shows where they lie",
                   100 * share, most));
      return;
    }
    for (std::size_t i = 0; i < out.failure_risk.size(); ++i)
      if (out.failure_risk[i] > most)
        add_note(out.notes, "likely_to_fail",
                 fmt::format(
                     "proposal {}: the solver fails there with a chance of {:.2g}, by the {:.2g} % of runs "
                     "that failed",
                     i + 1, out.failure_risk[i], 100 * share));
  }
};

/// The chance that a run lies within limits, by what its prediction interval of two thirds says of its
/// spread.
double chance_within(const Accept& accept, Eigen::Index at, double mean, double low, double high) {
  const auto below = [&](double limit) {
    const double half = limit > mean ? high - mean : mean - low;
    return half > 0 ? normal_cdf((limit - mean) / half) : limit >= mean ? 1.0 : 0.0;
  };
  return std::max(0.0, (accept.most(at) ? below(*accept.most(at)) : 1) -
                           (accept.least(at) ? below(*accept.least(at)) : 0));
}

/// A best that lies on a limit may miss it by a rounding.
bool holds_to_rounding(const Accept& accept, Eigen::Index at, double value) {
  constexpr double hair = 1e-9;
  const auto spare = [&](double limit) { return hair * std::max(std::abs(limit), std::abs(value)); };
  const auto low = accept.least(at), high = accept.most(at);
  return !(low && value < *low - spare(*low)) && !(high && value > *high + spare(*high));
}

/// What the surrogates say of the proposals.
void add_predictions(const Study& study, const FittedStudy& fitted, double level, SeekOutcome& out) {
  std::vector<Eigen::VectorXd> points;
  for (const Proposal& p : out.result.proposals) points.push_back(p.point);
  const Eigen::MatrixXd all = stacked(points, study.space.size());
  PredictResult predicted = predict_points(fitted, all, level);
  for (const Note& n : predicted.notes)
    if (n.code != "weak" && n.code != "unfit") add_note(out.notes, n.code, n.text);
  out.predicted = std::move(predicted.predictions);
  constexpr double one_deviation = 0.682689492137086;
  const Predictions spread = fitted.predictor().predict(all, one_deviation, {{}, false, false});
  for (std::size_t i = 0; i < points.size(); ++i) {
    std::map<std::string, bool> within;
    std::map<std::string, double> probability;
    for (std::size_t k = 0; k < study.responses.size(); ++k) {
      const Response& r = study.responses[k];
      const ResponsePrediction* p = spread.of(int(k));
      bool holds = true;
      double chance = 1;
      for (Eigen::Index q = 0; p && q < p->mean.cols(); ++q) {
        const auto row = Eigen::Index(i);
        holds = holds && holds_to_rounding(r.accept, q, p->mean(row, q));
        chance = std::min(chance, chance_within(r.accept, q, p->mean(row, q), p->prediction_low(row, q),
                                                p->prediction_high(row, q)));
      }
      within[r.name] = holds;
      if (r.accept.any() && p) probability[r.name] = chance;
    }
    out.within.push_back(std::move(within));
    out.probability.push_back(std::move(probability));
  }
}

void note_what_it_rests_on(const Study& study, const FittedStudy& fitted, SeekOutcome& out) {
  for (std::size_t k = 0; k < study.responses.size(); ++k) {
    const bool goal = out.is_goal(static_cast<int>(k));
    if ((goal || study.responses[k].accept.any()) && fitted.has(static_cast<int>(k)))
      fitted.note_verdicts(static_cast<int>(k), out.notes);
  }
  if (!out.result.feasible)
    add_note(out.notes, "nothing_feasible",
             "no setting holds every limit by the surrogates' means; the proposals are those that come "
             "nearest, and say what they violate");
}

MeanVariance mean_variance(const Predictor& predictor) {
  return [&predictor](Points points, int response) {
    const Predictions p = predictor.predict(points, 0.95, {{response}, false, false});
    return Eigen::VectorXd(p.responses.front().sd.col(0).array().square());
  };
}

/// What the analyst should know of the best before believing it.
void note_what_is_special(const Study& study, SeekOutcome& out) {
  if (!out.result.feasible || out.goals.empty()) return;
  const Proposal& best = out.result.proposals.front();
  std::vector<std::string> ends;
  for (const Parameter& p : study.space.parameters())
    for (const char* end : {"low", "high"})
      if (p.is_between() && std::count(best.limited_by.begin(), best.limited_by.end(),
                                       fmt::format("{} at the {} end of its span", p.name, end)) > 0)
        ends.push_back(fmt::format("the {} end of {}", end, p.name));
  if (!ends.empty())
    add_note(out.notes, "at_the_edge",
             fmt::format("{}the best lies at {}: widen {} if you can, since the true best may lie beyond",
                         out.scenario.empty() ? "" : out.scenario + ": ", listed(ends),
                         ends.size() == 1 ? "it" : "them"));
  constexpr double flat = 0.2, alike = 0.005;
  if (out.near_best && out.near_best->share > flat)
    add_note(out.notes, "flat",
             fmt::format("the optimum is flat: {:.0f} % of the region is as good as the best",
                         100 * out.near_best->share));
  for (std::size_t i = 1; i < out.result.proposals.size(); ++i)
    if (best.desirability > 0 && out.result.proposals[i].desirability >= (1 - alike) * best.desirability)
      add_note(out.notes, "equally_good",
               fmt::format("proposal {} is as good as the first to half a per cent, and lies elsewhere: "
                           "other reasons may decide",
                           i + 1));
}

/// One scenario while it is sought.
class Seeking {
 public:
  Seeking(Session& session, const SeekRequest& request, const FittedStudy& fitted, const FailureRisk& risk,
          const std::string& scenario)
      : session_(session),
        study_(session.study),
        request_(request),
        fitted_(fitted),
        risk_(risk),
        seed_(request.seed.value_or(session.study.seed)) {
    out_.scenario = scenario;
    out_.level = request.level;
    const Study& study = study_;
    Wanted want = wanted(study, request, scenario);
    for (const std::string& then : {request.then_maximise, request.then_minimise})
      if (const int k = study.response(then); k >= 0) want.besides.push_back(k);
    if (want.goals.empty() && want.keep.empty())
      throw Error("there is nothing to aim at", "seek",
                  "give a response a goal in study.toml, or type --maximise R, --minimise R, --target R=V or "
                  "--keep \"R<=V\"");
    options_.proposals = request.proposals;
    options_.search.hold = held(study, want.hold);
    if (request.robust) robust_.emplace(session, fitted, seed_, out_.notes);
    sought_ = sought_problem(study, want, fitted.predictor(), request.probability, out_.notes,
                             !(robust_ && robust_->has_yield()));
    if (robust_) robust_->change(problem(), sought_->columns, options_.search, out_.notes);
    if (risk.chance && !request.allow_failing) risk.add_to(problem(), sought_->columns);
    scale_constraints(problem(), seed_);
  }

  SeekOutcome outcome() {
    out_.result = seek(problem(), options_, seed_);
    out_.goals = problem().goals;
    note_what_it_rests_on(study_, fitted_, out_);
    look_for_region();
    risk_.tell(out_, request_.allow_failing);
    fill_responses();
    add_predictions(study_, fitted_, request_.level, out_);
    add_yields();
    if (!out_.result.feasible) out_.conflicts = conflicts(problem(), options_.search, seed_);
    if (!out_.result.singly.empty()) {
      std::vector<Eigen::VectorXd> points;
      for (const Single& s : out_.result.singly) points.push_back(s.point);
      out_.singly = fitted_.predictor().predict(stacked(points, study_.space.size()), request_.level,
                                                {{}, false, false});
    }
    if (request_.front) add_front();
    note_what_is_special(study_, out_);
    return std::move(out_);
  }

 private:
  SeekProblem& problem() { return sought_->problem; }

  /// The yield of each proposal, where the study has scatter and accept limits.
  void add_yields() {
    out_.yield.assign(out_.result.proposals.size(), undefined);
    const ScatterDraw draw(study_.space);
    bool limited = false;
    for (std::size_t k = 0; k < study_.responses.size(); ++k)
      limited = limited || (study_.responses[k].accept.any() && fitted_.has(int(k)));
    if (draw.dimensions() == 0 || !limited) return;
    Notes ignored;
    const ProductionModel production(session_, fitted_, {}, {}, {}, ignored);
    constexpr Eigen::Index drawn = 8192;
    for (std::size_t i = 0; i < out_.yield.size(); ++i)
      out_.yield[i] = yield_of(draw_sample(ScatterDraw(production.space()), production.specification(),
                                           out_.result.proposals[i].point, Sampling::sobol, drawn, seed_),
                               out_.level)
                          .value;
  }

  /// Of what was found also the responses that the search did not look at.
  void fill_responses() {
    for (Proposal& p : out_.result.proposals) {
      const Eigen::MatrixXd all = fitted_.predictor().means(p.point.transpose());
      p.responses.head(all.cols()) = all.row(0).transpose();
    }
  }

  /// The region as good as the best, and in it what is sought then.
  void look_for_region() {
    const bool then = !request_.then_maximise.empty() || !request_.then_minimise.empty();
    const bool near = request_.near_best && !request_.robust;  // that asks thirty-two times as much
    if (problem().goals.empty() || !out_.result.feasible || !(near || then)) return;
    const Proposal best = out_.result.proposals.front();
    if (!(best.desirability > 0)) return;
    out_.loss = request_.loss;
    const MeanVariance variance = mean_variance(fitted_.predictor());
    const AsGood as_good(problem(), out_.result.desirabilities, best, request_.loss, variance,
                         request_.level);
    if (near) {
      NearBestOptions options;
      options.samples = request_.loss ? 8192 : 2048;  // variances cost more than means
      options.hold = options_.search.hold;
      out_.near_best = near_best(
          study_.space, [&](Points x) { return as_good.all_margins(x); }, best.point, options, seed_);
      out_.near_best->allowed = as_good.allowed();
    }
    if (then) seek_then(as_good);
  }

  void seek_then(const AsGood& as_good) {
    const bool more = !request_.then_maximise.empty();
    const std::string& name = more ? request_.then_maximise : request_.then_minimise;
    const int response = study_.response(name);
    if (response < 0) chosen_responses(study_, {name}, true);  // throws with the known names
    if (!fitted_.has(response) || study_.responses[std::size_t(response)].is_curve())
      throw Error(name + " is no number that can be predicted", more ? "--then-maximise" : "--then-minimise",
                  "renth fit, or name another");
    SeekProblem next = problem();
    Goal goal;
    goal.response = response;
    goal.aim = more ? Goal::Aim::maximise : Goal::Aim::minimise;
    next.goals = {goal};
    // Margins of the whole row of responses: the last column tells how good it is.
    const auto column = Eigen::Index(sought_->columns) + (risk_.chance && !request_.allow_failing ? 1 : 0);
    next.responses = [this, &as_good, column](Points x) {
      Eigen::MatrixXd y = problem().responses(x);
      const Eigen::VectorXd good = as_good.margins(x, y);
      y.conservativeResize(Eigen::NoChange, column + 1);
      y.col(column) = good;
      return y;
    };
    next.constraints.push_back(
        {"as good as the best", [column](const double*, const double* y) { return y[column]; }, 1});
    SeekResult found = seek(next, options_, seed_);
    if (!found.feasible) return;
    for (Proposal& p : found.proposals) {
      std::erase_if(p.gives, [](const Give& g) { return g.limit == as_good_text; });  // that is --loss
      const Score s = score(problem(), out_.result.desirabilities, p.point, p.responses);
      p.desirability = s.desirability;
      p.of_goal.clear();
      for (std::size_t g = 0; g < problem().goals.size(); ++g)
        p.of_goal.push_back(out_.result.desirabilities[g](p.responses[problem().goals[g].response]));
    }
    const double before = out_.result.proposals.front().responses[response],
                 now = found.proposals.front().responses[response];
    out_.then = fmt::format(
        "among the settings as good as the best, {} is {} at proposal 1: {:.4g} instead of {:.4g}", name,
        more ? "largest" : "least", now, before);
    out_.result.proposals = std::move(found.proposals);
  }

  void add_front() {
    if (!out_.result.feasible) return;
    FrontOptions options;
    options.points = request_.front_points;
    options.search = options_.search;
    out_.front = front(problem(), options, seed_);
    std::vector<Eigen::VectorXd> points;
    for (const FrontPoint& p : out_.front) points.push_back(p.point);
    out_.front_predicted =
        fitted_.predictor().predict(stacked(points, study_.space.size()), request_.level, {{}, false, false});
  }

  static constexpr const char* as_good_text = "as good as the best";
  Session& session_;
  const Study& study_;
  const SeekRequest& request_;
  const FittedStudy& fitted_;
  const FailureRisk& risk_;
  Seed seed_;
  std::optional<RobustSearch> robust_;
  std::unique_ptr<SoughtProblem> sought_;
  SeekOptions options_;
  SeekOutcome out_;
};

void store_proposals(Session& session, const SeekAnswer& answer) {
  std::vector<StoredProposal> stored;
  nlohmann::json feasible;
  for (const SeekOutcome& one : answer.of) {
    int rank = 0;
    for (const Proposal& p : one.result.proposals)
      stored.push_back({++rank, session.study.settings(p.point), one.scenario});
    feasible.push_back(one.result.feasible);
  }
  session.store.save_proposals(stored, {{"feasible", feasible}, {"proposals", stored.size()}});
}

void check_request(const SeekRequest& request) {
  if (!request.then_maximise.empty() && !request.then_minimise.empty())
    throw Error("one thing can be sought among those as good", "--then-maximise",
                "leave --then-minimise out");
  if (request.probability != 0 && !(request.probability > 0.5 && request.probability < 1))
    throw Error(fmt::format("{} is no probability to be sure with", request.probability), "--probability",
                "give one between 0.5 and 1, such as 0.95");
  if (request.loss && !(request.loss->amount >= 0))
    throw Error("a loss cannot be negative", "--loss", "give 5%, or a number in the response's unit");
}

}  // namespace

double most_failure_risk(double share) {
  return std::clamp(1.5 * share, 0.25, 0.9);
}

SeekAnswer seek_settings(Session& session, const SeekRequest& request) {
  check_request(request);
  const FittedStudy fitted(session, {});
  const FailureRisk risk{learned_feasibility(session)};
  SeekAnswer out;
  out.notes = fitted.notes();
  const std::vector<std::string> none = {""};
  for (const std::string& scenario : request.scenarios.empty() ? none : request.scenarios) {
    out.of.push_back(Seeking(session, request, fitted, risk, scenario).outcome());
    add_notes(out.notes, out.of.back().notes);
  }
  if (session.store.read_only())
    add_note(out.notes, "not_kept",
             "the study may only be read here: the proposals are not kept, and cannot be confirmed");
  else if (request.keep_proposals)
    store_proposals(session, out);
  return out;
}

}  // namespace renth
