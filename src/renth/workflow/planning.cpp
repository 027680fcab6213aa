#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/numeric/random.hpp>
#include <renth/plan/extend.hpp>
#include <renth/plan/optimal.hpp>
#include <renth/space/hard.hpp>
#include <renth/workflow/assessing.hpp>
#include <renth/workflow/planning.hpp>
#include <renth/workflow/uncertain.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

void check_options(const PlanningOptions& o) {
  std::vector<std::string> takes = {"runs", "include"};
  if (o.method == "extend")
    takes = {"runs"};
  else if (o.method == "uncertain")
    takes = {"runs"};
  else if (!o.method.empty())
    takes = plan_method(o.method).options;
  for (const std::string& name : o.given)
    if (std::find(takes.begin(), takes.end(), name) == takes.end() &&
        !(name == "of" && o.request.stage == "axial"))
      throw Error(
          fmt::format("{} does not take --{}", o.method.empty() ? "plan without a method" : o.method, name),
          "plan " + o.method,
          takes.empty() ? "leave it out" : fmt::format("it takes --{}", fmt::join(takes, ", --")));
}

/// Settings of the runs of these batches, or of all that are fitted if none are named.
Eigen::MatrixXd settings_of(Session& session, const std::vector<std::string>& batches) {
  return batches.empty() ? fitted_runs(session).points
                         : find_plan(session, fmt::format("{}", fmt::join(batches, "+"))).points;
}

Seed seed_for(Session& session, const std::string& method, const std::string& name) {
  if (method != "optimal") return batch_seed(session.study, name);
  // Independent of the name, so that a sweep and the plan that follows it agree.
  int earlier = 0;
  for (const Batch& b : session.store.batches()) earlier += b.method == "optimal";
  return hash64(fmt::format("optimal {}", earlier), session.study.seed) >> 11;
}

/// The second stage of a central composite plan takes everything from the first.
void continue_stage(Session& session, const std::string& of, PlanRequest& request) {
  if (of.empty())
    throw Error("which corners the axes belong to is not said", "--of",
                "name the batch of plan central-composite --stage corners");
  const Batch first = session.store.need_batch(of, "--of");
  const auto stage = first.options.find("stage");
  if (first.method != "central-composite" || stage == first.options.end() || stage->second != "corners")
    throw Error(fmt::format("{} is not a batch of corners", of), "--of " + of,
                "name a batch made by plan central-composite --stage corners");
  for (const Batch& b : session.store.batches())
    if (const auto found = b.options.find("of"); found != b.options.end() && found->second == of)
      throw Error(fmt::format("the axes of {} are planned already, as {}", of, b.name), "--of " + of,
                  "discard that batch first");
  request.axial = first.options.at("inscribed") == "yes" ? "inscribed" : first.options.at("axial");
  request.centre = std::stoi(first.options.at("centre"));
  request.blocks = std::stoi(first.options.at("blocks"));
  request.first_block = request.blocks - 1;
}

std::vector<Run> to_runs(const Study& study, const Plan& plan) {
  std::vector<Run> runs;
  for (Index i = 0; i < plan.size(); ++i) {
    Run run;
    run.origin = plan.origins[std::size_t(i)];
    run.block = plan.blocks[i];
    run.settings = study.settings(plan.points.row(i).transpose());
    runs.push_back(std::move(run));
  }
  return runs;
}

bool small_enough(Index runs, const Space& space) {
  return runs <= 3000 && space.size() <= 60;
}

PlanResult extend_batch(Session& session, const PlanningOptions& o) {
  const Study& study = session.study;
  if (o.of.empty())
    throw Error("which batch to extend is not said", "plan extend", "name it: renth plan extend fit-1");
  const Batch batch = session.store.need_batch(o.of, "plan extend");
  if (!o.batch.empty() && o.batch != o.of)
    throw Error("an extension belongs to the batch it extends", "--batch " + o.batch, "leave --batch out");
  PlanResult out;
  PlanSource source = find_plan(session, o.of);
  out.batch = batch;
  out.model = source.model;
  Plan old;
  old.points = source.points;
  old.method = batch.method;
  old.options = batch.options;
  old.next = batch.next;
  if (batch.method == "optimal") {
    PlanRequest request;
    request.model = batch.options.at("model");
    request.criterion = batch.options.at("criterion");
    request.restarts = std::stoi(batch.options.at("restarts"));
    request.existing = source.points;
    request.existing_blocks = source.blocks;
    const auto as_before = [&](const char* option, auto& value) {
      if (const auto found = batch.options.find(option); found != batch.options.end())
        value = std::remove_reference_t<decltype(value)>(std::stod(found->second));
    };
    as_before("blocks", request.blocks);
    as_before("whole-plots", request.whole_plots);
    as_before("variance-ratio", request.variance_ratio);
    request.runs = o.request.runs > 0 ? o.request.runs : int(source.points.rows());
    if (request.whole_plots > 0)  // of the same size
      request.whole_plots = std::max(
          1, int(std::lround(double(request.whole_plots) * request.runs / double(source.points.rows()))));
    out.plan =
        optimal(study.space, optimal_options(study.space, request), o.seed.value_or(batch.seed + batch.next));
    std::fill(out.plan.origins.begin(), out.plan.origins.end(), "added");
    out.plan.next = batch.next + std::uint64_t(out.plan.size());
  } else {
    out.plan = extend(study.space, old, o.request.runs, o.seed.value_or(batch.seed));
  }
  out.batch.next = out.plan.next;
  Eigen::MatrixXd all(source.points.rows() + out.plan.size(), study.space.size());
  all << source.points, out.plan.points;
  out.evenness = evenness(study.space, all);
  if (small_enough(all.rows(), study.space)) {
    Eigen::VectorXi blocks(all.rows());
    blocks << source.blocks, out.plan.blocks;
    out.before = assess(study.space, source.points, source.blocks, terms_asked(study, "", source));
    out.assessment = assess(study.space, all, blocks, out.before->terms);
  }
  for (const std::string& text : out.plan.notes) add_note(out.notes, "plan", text);
  if (!o.dry_run) {
    out.ids = session.store.extend_batch(o.of, to_runs(study, out.plan), out.plan.next);
    out.stored = true;
  }
  return out;
}

void note_check_distance(Session& session, PlanResult& out) {
  const Eigen::MatrixXd fitted = settings_of(session, {});
  if (fitted.rows() == 0) {
    add_note(
        out.notes, "no_fit_runs",
        "there are no runs for fitting yet: plan those first, so that check runs can keep away from them");
    return;
  }
  out.from_fit_runs = nearest_distances(session.study.space, out.plan.points, fitted).minCoeff();
  if (*out.from_fit_runs < 1e-9)
    add_note(out.notes, "check_repeats_fit",
             "a check run repeats a run that is fitted, and so checks nothing there");
}

void check_range(const std::string& method, const PlanRequest& request) {
  if (request.runs_to > 0 && method != "optimal")
    throw Error("a range of runs is for optimal plans", "--runs", "give one number");
  if (request.runs_to > 0 && request.runs_to <= request.runs)
    throw Error(fmt::format("{}..{} is not a range", request.runs, request.runs_to), "--runs",
                "write the smaller first: 16..40");
}

/// The method if none is named, and what it needs to know of other runs.
void choose_method(Session& session, const PlanningOptions& options, std::string& method,
                   PlanRequest& request, std::string& why) {
  const Study& study = session.study;
  const bool check = options.use == "check";
  const Eigen::MatrixXd fitted =
      method.empty() || method == "spread" ? settings_of(session, {}) : Eigen::MatrixXd();
  if (method.empty() && check) {
    method = "spread";
    why = fitted.rows() > 0 ? "runs to check against tell most far from those that are fitted"
                            : "runs to check against should be everywhere";
  } else if (method.empty()) {
    const PlanChoice choice = choose_plan(study.space, study.noisy, fitted.rows(), request, study.seed);
    method = choice.method;
    request = choice.request;
    why = choice.why;
  }
  if (request.runs == 0 && check && (method == "spread" || method == "random"))
    request.runs = std::max(10, suggested_runs(study.space) / 3);
  if (method == "spread")
    request.existing = options.include.empty() ? fitted : settings_of(session, options.include);
  if (method == "optimal" && !options.include.empty()) {
    const PlanSource included = find_plan(session, fmt::format("{}", fmt::join(options.include, "+")));
    request.existing = included.points;
    request.existing_blocks = included.blocks;
  }
}

/// Distances of the plan, and of a dry run its assessment.
void look_at(const Space& space, bool dry_run, PlanResult& out) {
  const bool small = small_enough(out.plan.size(), space);
  constexpr double unknown = std::numeric_limits<double>::quiet_NaN();
  out.evenness = {unknown, unknown, unknown, unknown, unknown};
  if (out.plan.size() <= 5000)
    out.evenness = evenness(space, out.plan.points);
  else
    add_note(out.notes, "evenness_unknown", "distances are not measured beyond 5000 runs; renth assess does");
  if (!hard_parameters(space).empty() && out.batch.method != "optimal")
    add_note(
        out.notes, "hard_set_anew",
        fmt::format("{} sets hard parameters anew for every run; renth plan optimal keeps them for whole "
                    "plots of runs",
                    out.batch.method));
  if (dry_run && small)
    out.assessment = assess(space, out.plan.points, out.plan.blocks,
                            out.model.empty() ? Terms{} : parse_models(space, out.model)[0]);
  for (const std::string& text : out.plan.notes) add_note(out.notes, "plan", text);
  if (out.assessment)
    for (const std::string& text : out.assessment->warnings) add_note(out.notes, "plan", text);
}

/// That the number of runs was not asked for.
void note_suggestion(const std::string& method, PlanResult& out) {
  const auto& takes = method == "uncertain" ? std::vector<std::string>{} : plan_method(method).options;
  if (std::find(takes.begin(), takes.end(), "runs") != takes.end())
    add_note(out.notes, "suggested_runs",
             method == "optimal" ? fmt::format("{} runs is the suggestion: half as many again as there are "
                                               "terms; --runs A..B shows what others cost",
                                               out.plan.size())
             : takes.size() == 1 || method == "latin-hypercube" || method == "spread"
                 ? fmt::format("{} runs is the suggestion for this study: ten a parameter, or half as many "
                               "again as a quadratic "
                               "has terms; --runs changes it",
                               out.plan.size())
                 : fmt::format("{} runs are the fewest of this kind; --runs asks for more", out.plan.size()));
}

}  // namespace

PlanResult plan_batch(Session& session, const PlanningOptions& options) {
  const Study& study = session.study;
  if (!is_use(options.use)) throw Error("unknown use " + options.use, "--use", "use fit, check or confirm");
  check_options(options);
  if (options.method == "extend") return extend_batch(session, options);
  PlanResult out;
  PlanRequest request = options.request;
  std::string method = options.method;
  const bool check = options.use == "check";
  choose_method(session, options, method, request, out.why);
  if (request.stage == "axial") continue_stage(session, options.of, request);
  const std::string name =
      options.batch.empty() ? next_batch_name(session.store, options.use) : options.batch;
  const bool range = request.runs_to > request.runs;
  if (!range && session.store.batch(name))
    throw Error(fmt::format("there is a batch {} already", name), "--batch " + name,
                "choose another name, or renth discard " + name);
  const Seed seed = options.seed.value_or(seed_for(session, method, name));
  check_range(method, request);
  if (range) {
    out.model = request.model.empty() ? "quadratic" : request.model;
    out.sweep =
        sweep_runs(study.space, optimal_options(study.space, request), request.runs, request.runs_to, seed);
    out.batch = {0, name, options.use, method, {}, seed, 0};
    out.plan.points.resize(0, study.space.size());
    return out;
  }
  if (method == "uncertain") {
    out.plan = plan_uncertain(session, options.request.runs, seed, out.notes);
  } else {
    out.plan = plan_method(method).make(study.space, request, seed);
  }
  if (request.stage == "axial") out.plan.options["of"] = options.of;
  if (method == "optimal") out.model = out.plan.options.at("model");
  out.batch = {0, name, options.use, method, out.plan.options, out.plan.seed, out.plan.next};
  look_at(study.space, options.dry_run, out);
  if (request.runs == 0) note_suggestion(method, out);
  if (check) note_check_distance(session, out);
  if (!options.dry_run) {
    out.ids = session.store.add_batch(out.batch, to_runs(study, out.plan));
    out.stored = true;
  }
  return out;
}

}  // namespace renth
