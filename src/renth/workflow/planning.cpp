#include <fmt/format.h>

#include <renth/workflow/planning.hpp>

namespace renth {

PlanResult plan_batch(Session& session, const PlanningOptions& options) {
  const Study& study = session.study;
  if (options.use != "fit" && options.use != "check" && options.use != "confirm")
    throw Error("no use is called \"" + options.use + "\"", "--use", "use fit, check or confirm");
  PlanResult out;
  PlanRequest request = options.request;
  std::string method = options.method;
  if (method.empty() && options.use == "check") {
    method = "random";
    out.why = "runs to check against should be independent of those that were fitted";
  } else if (method.empty()) {
    const PlanChoice choice = choose_plan(study.space, study.noisy(), request);
    method = choice.method;
    request = choice.request;
    out.why = choice.why;
  }
  if (request.runs == 0 && options.use == "check")
    request.runs = std::max(10, suggested_runs(study.space) / 3);
  const std::string name =
      options.batch.empty() ? next_batch_name(session.store, options.use) : options.batch;
  if (session.store.batch(name))
    throw Error(fmt::format("there is a batch {} already", name), "--batch " + name,
                "choose another name, or renth discard " + name);
  out.plan = plan_method(method).make(study.space, request, options.seed.value_or(batch_seed(study, name)));
  out.batch = {0, name, options.use, method, out.plan.options, out.plan.seed, out.plan.next};
  out.evenness = evenness(study.space, out.plan.points);
  for (const std::string& text : out.plan.notes) add_note(out.notes, "plan", text);
  if (options.request.runs == 0 && method != "full-factorial")
    add_note(out.notes, "suggested_runs",
             fmt::format("{} runs is the suggestion for this study: ten a parameter, or half as many again "
                         "as a quadratic has terms; --runs changes it",
                         out.plan.size()));
  std::vector<Run> runs;
  for (Eigen::Index i = 0; i < out.plan.size(); ++i) {
    Run run;
    run.origin = out.plan.origins[i];
    run.block = out.plan.blocks[i];
    run.settings = study.settings(out.plan.points.row(i).transpose());
    runs.push_back(std::move(run));
  }
  if (!options.dry_run) {
    out.ids = session.store.add_batch(out.batch, runs);
    out.stored = true;
  }
  return out;
}

}  // namespace renth
