#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/workflow/failing.hpp>
#include <renth/workflow/seeking.hpp>
#include <renth/workflow/tolerancing.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// The setting that was asked for, else the best proposal, else nominal; and which it is.
Eigen::VectorXd setting_of(Session& session, const SettingAsked& asked, std::string& which) {
  if (!asked.proposal.empty()) which = "proposal " + asked.proposal;
  if (!asked.mark.empty()) which = asked.mark;
  if (!asked.at.empty()) which = "the setting given";
  if (asked.any()) return setting_asked(session, asked);
  const std::vector<StoredProposal> proposals = session.store.proposals();
  if (!proposals.empty()) {
    try {
      const StoredProposal& best = proposals.front();
      const Eigen::VectorXd point = session.study.point(best.settings, "proposal");
      which = best.scenario.empty() ? "proposal 1" : "proposal " + best.scenario + ":1";
      return point;
    } catch (const Error&) {  // of the study as it was
    }
  }
  which = "the nominal setting";
  return session.study.space.nominal();
}

/// "radius=5, hull=steel" as the recipe of a scatter plan has it.
Eigen::VectorXd recipe_setting(const Study& study, const Batch& batch) {
  const auto found = batch.options.find("at");
  if (found == batch.options.end()) return study.space.nominal();
  Settings at;
  const std::string& text = found->second;
  for (std::size_t begin = 0; begin < text.size();) {
    const std::size_t end = std::min(text.find(", ", begin), text.size()), equals = text.find('=', begin);
    const std::string value = text.substr(equals + 1, end - equals - 1),
                      name = text.substr(begin, equals - begin);
    const auto j = study.space.find(name);
    if (j && study.space[*j].is_choice())
      at[name] = value;
    else if (j)
      at[name] = std::strtod(value.c_str(), nullptr);
    begin = end + 2;
  }
  try {
    return study.point(at, "batch " + batch.name);
  } catch (const Error&) {
    return study.space.nominal();
  }
}

/// Real runs as a sample: what they gave, NaN where a run failed.
ToleranceSample sample_of_runs(Session& session, const Specification& specification, const Batch& batch,
                               ToleranceAnswer& out) {
  const Study& study = session.study;
  std::vector<Run> runs;
  for (Run& run : session.store.runs_of(batch.name)) {
    if (run.set_aside || (run.status != RunStatus::done && run.status != RunStatus::failed)) continue;
    out.failed += run.status == RunStatus::failed ? 1 : 0;
    runs.push_back(std::move(run));
  }
  if (runs.empty())
    throw Error("no run of it has ended", "--batch " + batch.name, "renth run --batch " + batch.name);
  ToleranceSample sample;
  sample.method = Sampling::random;
  sample.at = recipe_setting(study, batch);
  sample.points.resize(Index(runs.size()), study.space.size());
  std::vector<Eigen::MatrixXd> values;
  for (const int s : specification.sources())
    values.push_back(
        Eigen::MatrixXd::Constant(Index(runs.size()), study.outputs(study.responses[std::size_t(s)]), NAN));
  for (std::size_t i = 0; i < runs.size(); ++i) {
    sample.points.row(Index(i)) = point_of(study, runs[i]);
    for (std::size_t k = 0; k < values.size() && runs[i].status == RunStatus::done; ++k) {
      const Response& r = study.responses[std::size_t(specification.sources()[k])];
      if (r.is_curve()) {
        if (const auto curve = computed_curve(study, runs[i], r)) values[k].row(Index(i)) = *curve;
      } else {
        values[k](Index(i), 0) = computed_value(study, runs[i], r).value_or(NAN);
      }
    }
  }
  Specification::Answer answer = specification.of(sample.points, values);
  sample.margins = std::move(answer.margins);
  sample.responses = std::move(answer.responses);
  return sample;
}

std::string per_cent_text(double share) {
  return fmt::format("{:.3g} %", 100 * share);
}

void note_where_it_lies(ToleranceAnswer& out) {
  const ToleranceResult& r = out.result;
  constexpr double some = 0.005;
  if (r.outside > some)
    add_note(out.notes, "extrapolated",
             per_cent_text(r.outside) +
                 " of the draws lie outside what the runs cover: what the surrogates say there is a guess");
  if (r.beyond_limits > some)
    add_note(out.notes, "beyond_limits",
             per_cent_text(r.beyond_limits) +
                 " of the draws break a limit between parameters: what is made does not ask, and they are "
                 "counted as they come out");
  if (r.failure_risk > some)
    add_note(out.notes, "failure_risk",
             "the solver fails at " + per_cent_text(r.failure_risk) +
                 " of the draws, as learned from the runs that failed; where it is likely to, a draw counts "
                 "as out of specification");
  for (Index j = 0; j < out.space.size(); ++j) {
    const Parameter& p = out.space[j];
    if (!p.scatter.any() || p.scatter.shape == Scatter::Shape::shares) continue;
    const ScatterEnds ends = scatter_ends(p, r.at[j]);
    if (ends.high - ends.low > p.high - p.low)
      add_note(out.notes, "wide_scatter",
               fmt::format("the scatter of {} ({:.4g} to {:.4g}) is wider than its span: widen the span and "
                           "run more there, "
                           "or check the scatter",
                           p.name, ends.low, ends.high));
  }
  if (r.method == Sampling::corners)
    add_note(out.notes, "corners",
             "corners see nothing of a response that bends between them, and how often they happen is not "
             "said: for the yield "
             "use --method sobol");
  if (r.rare)
    add_note(out.notes, "rare",
             "hardly any draw is out of specification: the share that is was found by subset simulation, "
             "level by level");
  if (r.method != Sampling::corners && !(r.yield.value > 0)) {
    std::string worst;
    double most = 2;
    for (std::size_t l = 0; l < out.limits.size(); ++l)
      if (r.shares.single[l] < most) most = r.shares.single[l], worst = out.limits[l].text;
    add_note(out.notes, "nothing_in_specification",
             fmt::format(
                 "no draw is in specification; {} is broken most often ({} hold it): choose another setting "
                 "(renth seek), or see what gives (--accept)",
                 worst, per_cent_text(most)));
  }
  if (r.surrogate_missing > 0)
    add_note(out.notes, "no_error_estimate",
             "some surrogates have no error estimate: in surrogate_interval they count as exact");
}

/// The yield as the file has it, beside one that was typed.
void compare_with_file(Session& session, const FittedStudy& fitted, const ToleranceRequest& request,
                       const SpecificationOptions& options, Seed seed, ToleranceAnswer& out) {
  try {
    Notes ignored;
    const ProductionModel file(session, fitted, {}, {}, options, ignored);
    if (!file.scatters()) return;
    const ScatterDraw draw(file.space());
    const Index count = std::min<Index>(out.result.samples, 65'536);
    const ToleranceSample sample =
        draw_sample(draw, file.specification(), out.result.at, request.options.method, count, seed);
    out.as_in_file = yield_of(sample, out.level);
  } catch (const Error&) {  // without limits or scatter there is nothing to compare with
  }
}

void from_runs(Session& session, const ToleranceRequest& request, const ProductionModel& model,
               ToleranceAnswer& out) {
  const std::vector<Batch> batches = session.store.batches();
  const auto batch =
      std::find_if(batches.begin(), batches.end(), [&](const Batch& b) { return b.name == request.batch; });
  if (batch == batches.end()) {
    std::vector<std::string> known;
    for (const Batch& b : batches) known.push_back(b.name);
    refuse_unknown("batch", request.batch, "--batch", known);
  }
  out.from_runs = true;
  out.setting = "batch " + batch->name;
  const ToleranceSample sample = sample_of_runs(session, model.specification(), *batch, out);
  out.result = summary_of(model.specification(), sample, out.level);
  for (Index j = 0; j < out.space.size(); ++j)
    if (sample.points.col(j).maxCoeff() > sample.points.col(j).minCoeff())
      out.result.parameters.push_back(
          {j, {NAN, NAN, NAN}, std::nullopt, yield_by_value(sample, j, out.level)});
  out.surrogate_says = share_passing(model.specification().margins(sample.points));
  if (batch->method != "scatter")
    add_note(
        out.notes, "not_scatter",
        fmt::format("batch {} was not drawn from the scatter (method {}): the share of its runs is no yield",
                    batch->name, batch->method));
  if (out.failed > 0)
    add_note(
        out.notes, "failed_runs",
        fmt::format("{} of {} runs failed and count as out of specification", out.failed, sample.size()));
}

}  // namespace

ProductionModel::ProductionModel(Session& session, const FittedStudy& fitted,
                                 const std::vector<std::pair<std::string, std::string>>& set,
                                 const std::vector<std::string>& accept, SpecificationOptions options,
                                 Notes& notes) {
  Model model = fitted.model();
  std::vector<Parameter> parameters = model.problem.space.parameters();
  for (const auto& [name, text] : set) {
    const auto j = model.problem.space.find(name);
    if (!j) refuse_unknown("parameter", name, "--set", session.study.order);
    Parameter& p = parameters[std::size_t(*j)];
    p.scatter = scatter_typed(p, text, "--set " + name);
  }
  std::vector<RankCorrelation> correlations;
  for (const RankCorrelation& c : model.problem.space.correlations()) {
    if (parameters[std::size_t(c.a)].scatter.any() && parameters[std::size_t(c.b)].scatter.any())
      correlations.push_back(c);
    else
      add_note(notes, "correlation_left_out",
               fmt::format("the correlation of {} and {} is left out: one of them does not scatter",
                           parameters[std::size_t(c.a)].name, parameters[std::size_t(c.b)].name));
  }
  model.problem.space = Space(std::move(parameters), model.problem.space.limits(), std::move(correlations));
  const LearnedFeasibility learned = learned_feasibility(session);
  if (learned.chance && options.most_failure_risk >= 1)
    options.most_failure_risk = most_failure_risk(learned.share);
  options.accept = accepts_with(model.problem, accept, "--accept");
  predictor_ = std::make_unique<Predictor>(std::make_shared<Model>(std::move(model)), parallel_for);
  specification_ = std::make_unique<Specification>(*predictor_, std::move(options));
}

void note_limits(const Study& study, const FittedStudy& fitted, const std::vector<Accept>& accept,
                 Notes& notes) {
  for (std::size_t k = 0; k < accept.size(); ++k) {
    if (!accept[k].any()) continue;
    if (fitted.has(int(k)))
      fitted.note_verdicts(int(k), notes);
    else
      add_note(notes, "accept_not_checked",
               study.responses[k].name + " has accept limits and no surrogate: they are not counted");
  }
}

bool ProductionModel::scatters() const {
  return std::any_of(space().parameters().begin(), space().parameters().end(),
                     [](const Parameter& p) { return p.scatter.any(); }) ||
         specification_->noise() > 0;
}

ToleranceAnswer tolerance_of(Session& session, const ToleranceRequest& request) {
  const FittedStudy fitted(session, {});
  ToleranceAnswer out;
  out.level = request.options.level;
  out.notes = fitted.notes();
  SpecificationOptions options;
  options.mean_only = request.mean_only;
  if (!request.batch.empty()) options.most_failure_risk = 2;  // real runs fail or not
  const ProductionModel model(session, fitted, request.set, request.accept, options, out.notes);
  out.limits = model.specification().limits();
  out.space = model.space();
  for (std::size_t k = 0; k < session.study.responses.size(); ++k)
    out.accept.push_back(model.specification().accept(int(k)));
  note_limits(session.study, fitted, out.accept, out.notes);
  if (!request.batch.empty()) {
    from_runs(session, request, model, out);
    return out;
  }
  const Seed seed = hash64("tolerance", request.seed.value_or(session.study.seed));
  const Eigen::VectorXd at = setting_of(session, request.setting, out.setting);
  if (!model.scatters())
    throw Error("no parameter has scatter", "study.toml",
                "say how they drift: scatter = { normal = 0.05 }, or for now --set p=normal:0.05");
  out.result = tolerance(model.specification(), at, request.options, seed);
  if (model.specification().noise() > 0)
    add_note(out.notes, "noise_included",
             "the study is noisy: what one run scatters is in the yield; --mean-only leaves it out");
  if (request.centre) {
    CentringOptions centring;
    centring.level = out.level;
    centring.hold = held(session.study, request.hold);
    centring.hold.resize(std::size_t(session.study.space.size()));
    for (Index j = 0; j < session.study.space.size(); ++j)  // another hull is no setting nearby
      if (!session.study.space[j].is_between() && !centring.hold[std::size_t(j)])
        centring.hold[std::size_t(j)] = at[j];
    out.better = centred(model.specification(), at, centring, seed);
  }
  if (!request.set.empty() || !request.accept.empty())
    compare_with_file(session, fitted, request, options, seed, out);
  note_where_it_lies(out);
  return out;
}

}  // namespace renth
