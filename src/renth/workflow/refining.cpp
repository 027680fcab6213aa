#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/adaptive/acquire.hpp>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/space/region.hpp>
#include <renth/workflow/failing.hpp>
#include <renth/workflow/fitting.hpp>
#include <renth/workflow/refining.hpp>
#include <renth/workflow/seeking.hpp>
#include <renth/workflow/uncertain.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// The setting with the largest desirability by the surrogates, and how it is judged.
struct Best {
  SeekOutcome outcome;
  double error_percent = NAN;
};

Best find_best(Session& session, const std::optional<Seed>& seed) {
  SeekRequest request;
  request.seed = seed;
  request.proposals = 2;
  request.keep_proposals = false;  // those of the last seek are the user's
  request.near_best = false;
  Best out{std::move(seek_settings(session, request).of.front())};
  if (out.outcome.predicted.size() == 0) return out;
  out.error_percent = 0;
  for (const Goal& goal : out.outcome.goals)
    if (const ResponsePrediction* r = out.outcome.predicted.of(goal.response)) {
      const double half = 0.5 * (r->prediction_high(0, 0) - r->prediction_low(0, 0));
      out.error_percent = std::max(out.error_percent, 100 * half / std::abs(r->mean(0, 0)));
    }
  return out;
}

/// One refining: what the rounds share.
class Refining {
 public:
  Refining(Session& session, const RefiningOptions& options)
      : session_(session), options_(options), study_(session.study) {
    const int suggested = suggested_runs(study_.space);
    batch_ = options.batch > 0 ? options.batch : std::max(4, suggested / 10);
    out_.budget = options.budget > 0 ? options.budget : std::max(batch_, suggested / 2);
    out_.strategy = !options.strategy.empty()         ? options.strategy
                    : !options.level_response.empty() ? "level"
                    : options.until_error > 0         ? "best"
                                                      : "uncertain";
    if (std::find(refine_strategies.begin(), refine_strategies.end(), out_.strategy) ==
        refine_strategies.end())
      refuse_unknown("strategy", out_.strategy, "--strategy", refine_strategies);
    if (out_.strategy == "level" && options.level_response.empty())
      throw Error("no level is given", "--strategy level", "name it: --level-of power=40");
    if (!options.level_response.empty()) {
      const Response r = chosen_responses(study_, {options.level_response}, false)[0];
      if (r.axis >= 0)
        throw Error(r.name + " is a curve", "--level-of " + r.name,
                    "name a response that is a single number");
      if (out_.strategy != "level")
        throw Error("a level is for the strategy of that name", "--level-of", "leave --strategy out");
    }
    const bool goals = std::any_of(study_.responses.begin(), study_.responses.end(),
                                   [](const Response& r) { return r.goal.has_value(); });
    if ((out_.strategy == "best" || options.until_error > 0) && !goals)
      throw Error("no response has a goal, so there is no best", "refine",
                  "give one goal = \"maximise\" or \"minimise\" in study.toml");
    until_ = options.until;
    for (const auto& [name, target] : until_) chosen_responses(study_, {name}, false);
    if (until_.empty() && options.until_error == 0)
      for (const Response& r : study_.responses)
        if (!r.derive) until_[r.name] = 0.95;
  }

  RefineResult run() {
    if (finish_what_was_left()) return std::move(out_);
    fit(false);
    while (!reached()) {
      if (out_.spent >= out_.budget) {
        out_.why = fmt::format("the budget of {} runs is spent", out_.budget);
        break;
      }
      RefineRound round;
      round.round = int(out_.rounds.size()) + 1;
      round.q2_before = out_.q2;
      const std::vector<std::int64_t> ids = plan(std::min(batch_, out_.budget - out_.spent), round);
      if (ids.empty()) {
        out_.why = none_left_;
        break;
      }
      if (study_.solver.kind == SolverSpec::Kind::manual) {
        out_.to_be_measured = true;
        out_.spent += int(ids.size());
        out_.why = fmt::format("batch {} is planned: measure its {} runs, import them, and refine again",
                               round.batch, ids.size());
        break;
      }
      if (compute(round.batch, round)) break;
      fit(false);
      finish(round);
    }
    if (!out_.stopped) fit(true);
    judge();
    return std::move(out_);
  }

 private:
  /// A batch that an interrupted refine left: run it. \returns true if that was stopped.
  bool finish_what_was_left() {
    for (const Batch& b : session_.store.batches()) {
      if (b.method != "refine") continue;
      const std::vector<Run> runs = session_.store.runs_of(b.name);
      const auto left = std::count_if(runs.begin(), runs.end(), [](const Run& r) {
        return r.status == RunStatus::planned || r.status == RunStatus::running;
      });
      if (left == 0) continue;
      if (study_.solver.kind == SolverSpec::Kind::manual) {
        out_.to_be_measured = true;
        out_.why = fmt::format("{} runs of batch {} wait to be measured and imported", left, b.name);
        return true;
      }
      add_note(out_.notes, "resumed",
               fmt::format("{} runs of batch {} were left and come first", left, b.name));
      RefineRound round;
      round.batch = b.name;
      if (compute(b.name, round)) return true;
    }
    return false;
  }

  /// Runs a batch. \returns true if the user stopped it.
  bool compute(const std::string& batch, RefineRound& round) {
    RunningOptions running = options_.running;
    running.batch = batch;
    const RunSummary summary = run_batches(session_, running);
    round.runs = summary.done + summary.failed;
    round.failed = summary.failed;
    out_.spent += round.runs;
    out_.failed += summary.failed;
    for (const auto& [id, message] : summary.failures)
      add_note(out_.notes, "solver_failed", fmt::format("run {} failed: {}", id, message));
    if (summary.stopped || summary.left > 0) {
      out_.stopped = true;
      out_.why = fmt::format("it was stopped; {} runs of batch {} are left, and refine goes on with them",
                             summary.left, batch);
    }
    return out_.stopped;
  }

  /// Fits what is out of date: all, or only what the rounds go by.
  void fit(bool all) {
    FittingOptions fitting = options_.fitting;
    fitting.seed = options_.seed;
    fitting.responses.clear();
    // What still matches its runs need not be fitted again.
    for (const Response& r : study_.responses) {
      if (r.derive) continue;
      Notes notes;
      const bool asked = all || until_.count(r.name) > 0 || r.name == options_.level_response ||
                         options_.until_error > 0 || out_.strategy == "best";
      if (asked && (!current_surrogate(session_, r, notes) || !notes.empty()))
        fitting.responses.push_back(r.name);
    }
    if (!fitting.responses.empty()) {
      const FitResult fitted = fit_responses(session_, fitting);
      for (const Note& n : fitted.notes)
        if (n.code == "not_fitted") add_note(out_.notes, n.code, n.text);
    }
    for (const Response& r : study_.responses) {
      if (r.derive) continue;
      Notes notes;
      const auto stored = current_surrogate(session_, r, notes);
      if (!stored) continue;
      const RunData data = collect_data(session_, r, uses_fitted(*stored), weights_fitted(*stored));
      if (data.data.size() == stored->cv.predicted.rows())
        out_.q2[r.name] = predictive_error(data.data, stored->cv).q2;
    }
  }

  bool reached() {
    bool all = true;
    for (const auto& [name, target] : until_) {
      const auto found = out_.q2.find(name);
      if (found == out_.q2.end() || !(found->second >= target)) all = false;
    }
    if (options_.until_error > 0) {
      if (!best_) best_ = find_best(session_, options_.seed);
      all = all && best_->error_percent <= options_.until_error;
    }
    if (!all) return false;
    out_.reached = true;
    out_.why = "the target is reached";
    return true;
  }

  /// Candidates that can be set, are not run yet, and are likely to succeed.
  Eigen::MatrixXd candidates(Seed seed, int count) {
    Eigen::MatrixXd points = sample_region(study_.space, count, Values::settable, seed, "refine candidates");
    if (out_.strategy == "best") points = with_neighbours(points, seed);
    const std::vector<Run> runs = session_.store.runs();
    Eigen::VectorXd chance = Eigen::VectorXd::Ones(points.rows());
    if (options_.feasible > 0)
      if (const auto learned = learned_feasibility(session_).chance)
        chance = predict_in_blocks(*learned, points, {}, parallel_for).mean.col(0);
    std::vector<Eigen::VectorXd> known;
    for (const Run& run : runs)
      if (run.use == "fit") known.push_back(point_of(study_, run));
    std::vector<Index> kept;
    for (Index i = 0; i < points.rows(); ++i) {
      const auto same = [&](const Eigen::VectorXd& p) { return p == points.row(i).transpose(); };
      const bool repeated =
          std::any_of(known.begin(), known.end(), same) ||
          std::any_of(kept.begin(), kept.end(), [&](Index k) { return points.row(k) == points.row(i); });
      if (!repeated && chance[i] >= options_.feasible) kept.push_back(i);
    }
    if (Index(kept.size()) < points.rows() / 20)
      add_note(out_.notes, "feasible",
               "hardly any candidate is likely to succeed; --feasible 0 looks everywhere");
    return points(kept, Eigen::all);
  }

  std::vector<std::int64_t> plan(int count, RefineRound& round) {
    round.batch = next_batch_name(session_.store, "refine");
    const Seed seed =
        options_.seed ? hash64(round.batch, *options_.seed) >> 11 : batch_seed(study_, round.batch);
    const Eigen::MatrixXd points = candidates(seed, out_.strategy == "best" ? 700 : 1200);
    if (points.rows() == 0) return {};
    const std::vector<Index> chosen =
        out_.strategy == "best" ? improving(points, count, seed) : informative(points, count);
    if (chosen.empty()) return {};
    Plan plan = make_plan(points(chosen, Eigen::all), "added", "refine", seed);
    Batch batch{
        0, round.batch, "fit", "refine", {{"strategy", out_.strategy}}, seed, std::uint64_t(chosen.size())};
    std::vector<Run> runs;
    for (Index i = 0; i < plan.points.rows(); ++i) {
      Run run;
      run.origin = "added";
      run.settings = study_.settings(plan.points.row(i).transpose());
      runs.push_back(std::move(run));
    }
    return session_.store.add_batch(batch, runs);
  }

  std::vector<Index> informative(const Eigen::MatrixXd& points, int count) {
    // Those that are not good enough yet; all, if that is not the question.
    std::vector<Response> asked;
    for (const Response& r : study_.responses) {
      if (r.derive) continue;
      const auto target = until_.find(r.name), found = out_.q2.find(r.name);
      const bool short_of =
          target != until_.end() && found != out_.q2.end() && !(found->second >= target->second);
      if (out_.strategy == "level" ? r.name == options_.level_response : short_of) asked.push_back(r);
    }
    std::string used;
    Notes ignored;
    auto joint = joint_covariances(session_, asked.empty() ? study_.responses : asked, points, used, ignored);
    if (joint.empty() && !used.empty())
      none_left_ = "the surrogates of " + used + " state no uncertainty anywhere: `renth fit kriging` does";
    if (joint.empty()) return {};
    if (out_.strategy != "level") return choose_uncertain(Beliefs(std::move(joint)), count);
    const auto stored = current_surrogate(session_, asked.front(), ignored);
    // In the unit in which the covariance is given: its mean variance is 1.
    const Prediction p = predict_in_blocks(*stored->surrogate, points, {.variance = true}, parallel_for);
    const double scale = std::sqrt(std::max(p.model_variance.mean(), 1e-300));
    return choose_near_level(Beliefs(std::move(joint)), p.mean.col(0) / scale, options_.level / scale, count);
  }

  std::vector<Index> improving(const Eigen::MatrixXd& points, int count, Seed seed) {
    const FittedStudy fitted(session_, {});
    const std::vector<int> outputs = judged_responses(fitted);
    const Predictions predicted = fitted.predictor().predict(points, 0.95, {outputs, false});
    ImprovementProblem problem;
    problem.mean.resize(points.rows(), Index(outputs.size()));
    problem.sd = problem.mean;
    std::vector<const Surrogate*> of_part;
    for (std::size_t o = 0; o < outputs.size(); ++o) {
      const ResponsePrediction& r = *predicted.of(outputs[o]);
      problem.mean.col(Index(o)) = r.mean.col(0);
      problem.sd.col(Index(o)) = r.sd.col(0).array().isFinite().select(r.sd.col(0), 0);
      const auto& part = fitted.model().parts[std::size_t(outputs[o])];
      problem.belief.push_back(part ? int(of_part.size()) : -1);
      if (part) of_part.push_back(part->surrogate.get());
    }
    std::vector<Eigen::MatrixXd> joint(of_part.size());
    parallel_for(std::int64_t(joint.size()), [&](std::int64_t k) {
      joint[std::size_t(k)] = of_part[std::size_t(k)]->covariance(points, 0);
    });
    if (joint.empty()) {
      std::string used;
      joint = joint_covariances(session_, study_.responses, points, used, out_.notes);
    }
    problem.value = [this, outputs](const Eigen::VectorXd& y) { return worth(outputs, y); };
    problem.best = best_computed(outputs);
    return choose_improving(Beliefs(std::move(joint)), problem, count, seed);
  }

  /// All scalar responses that have a goal or accept limits.
  std::vector<int> judged_responses(const FittedStudy& fitted) const {
    std::vector<int> out;
    for (int k = 0; k < int(study_.responses.size()); ++k) {
      const Response& r = study_.responses[std::size_t(k)];
      const bool goal = best_->outcome.is_goal(k);
      if ((goal || r.accept.any()) && !r.is_curve() && fitted.has(k)) out.push_back(k);
    }
    return out;
  }

  /// The overall desirability of values of these responses; 0 where one is not acceptable.
  double worth(const std::vector<int>& outputs, const Eigen::VectorXd& y) const {
    OverallDesirability overall;
    const std::vector<Goal>& goals = best_->outcome.goals;
    bool any = false;
    for (std::size_t o = 0; o < outputs.size(); ++o) {
      const Response& r = study_.responses[std::size_t(outputs[o])];
      const double value = y[Index(o)];
      if (!std::isfinite(value) || !r.accept.holds(value)) return 0;
      for (std::size_t g = 0; g < goals.size(); ++g) {
        if (goals[g].response != outputs[o]) continue;
        overall.add(best_->outcome.result.desirabilities[g](value), r.weight);
        any = true;
      }
    }
    return any ? overall.value() : 0;
  }

  /// The best that the solver itself has given.
  double best_computed(const std::vector<int>& outputs) {
    double best = 0;
    for (const Run& run : session_.store.runs()) {
      if (run.status != RunStatus::done || run.set_aside) continue;
      Eigen::VectorXd y(Index(outputs.size()));
      for (std::size_t o = 0; o < outputs.size(); ++o)
        y[Index(o)] = computed_value(study_, run, study_.responses[std::size_t(outputs[o])]).value_or(NAN);
      best = std::max(best, worth(outputs, y));
    }
    return best;
  }

  /// Besides settings everywhere some near those that look best now.
  Eigen::MatrixXd with_neighbours(const Eigen::MatrixXd& region, Seed seed) {
    if (!best_) best_ = find_best(session_, options_.seed);
    std::vector<Eigen::VectorXd> near;
    Stream stream(seed, "near the best");
    for (const Proposal& p : best_->outcome.result.proposals) {
      near.push_back(p.point);
      for (int i = 0; i < 150; ++i) {
        Eigen::VectorXd point = p.point;
        const double size = 0.15 * std::pow(0.1, stream.uniform());
        for (Index j = 0; j < study_.space.size(); ++j) {
          const Parameter& q = study_.space[j];
          const double step = stream.normal() * size * (q.high - q.low);
          if (!q.is_choice()) point[j] = std::clamp(point[j] + step, q.low, q.high);
        }
        point = study_.space.snap(point);
        if (study_.space.allows(point)) near.push_back(point);
      }
    }
    Eigen::MatrixXd out(region.rows() + Index(near.size()), region.cols());
    out << region, stacked(near, region.cols());
    return out;
  }

  void finish(RefineRound& round) {
    round.q2 = out_.q2;
    round.best_error_percent = NAN;
    if (options_.until_error > 0) {
      best_ = find_best(session_, options_.seed);
      round.best_error_percent = best_->error_percent;
    } else {
      best_.reset();
    }
    std::string gained;
    for (const auto& [name, target] : until_) {
      const auto now = round.q2.find(name), before = round.q2_before.find(name);
      if (now == round.q2.end()) continue;
      gained += fmt::format("{}{} Q² {}{:.4f}", gained.empty() ? "" : ", ", name,
                            before == round.q2_before.end() ? "" : fmt::format("{:.4f} → ", before->second),
                            now->second);
    }
    if (std::isfinite(round.best_error_percent))
      gained += fmt::format("{}± {:.2g} % at the best", gained.empty() ? "" : ", ", round.best_error_percent);
    round.says = fmt::format("round {}: {} runs in {}{}: {}", round.round, round.runs, round.batch,
                             round.failed > 0 ? fmt::format(", {} failed", round.failed) : "", gained);
    out_.rounds.push_back(round);
    options_.report(round);
  }

  void judge() {
    for (const Response& r : study_.responses) {
      if (r.derive) continue;
      Notes notes;
      const auto stored = current_surrogate(session_, r, notes);
      if (stored) out_.verdicts[r.name] = note_verdict(session_, r, *stored, out_.notes);
    }
  }

  Session& session_;
  const RefiningOptions& options_;
  const Study& study_;
  RefineResult out_;
  std::string none_left_ = "there is no candidate left that would tell anything";
  int batch_ = 0;
  std::map<std::string, double> until_;
  std::optional<Best> best_;
};

}  // namespace

RefineResult refine(Session& session, const RefiningOptions& options) {
  return Refining(session, options).run();
}

}  // namespace renth
