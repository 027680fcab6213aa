#include <fmt/format.h>

#include <algorithm>
#include <fstream>
#include <functional>
#include <renth/workflow/assessing.hpp>

namespace renth {
namespace {

struct Rows {
  std::vector<Eigen::VectorXd> points;
  std::vector<std::string> origins;
  std::vector<int> blocks;
};

PlanSource from_rows(const Study& study, const std::string& name, const Rows& rows,
                     const std::string& model) {
  return {name, stacked(rows.points, study.space.size()), rows.origins,
          Eigen::VectorXi::Map(rows.blocks.data(), Eigen::Index(rows.blocks.size())), model};
}

PlanSource from_file(const Study& study, const std::string& file) {
  nlohmann::json document;
  Rows rows;
  std::string model;
  try {
    document = nlohmann::json::parse(std::ifstream(file));
    for (const auto& run : document.at("runs")) {
      rows.points.push_back(study.point_of_run(settings_from_json(run.at("point")), file));
      rows.origins.push_back(run.at("origin").get<std::string>());
      rows.blocks.push_back(run.at("block").get<int>());
    }
    model = document.value("model", "");
  } catch (const nlohmann::json::exception& e) {
    throw Error(std::string("this is not a plan (") + e.what() + ")", file,
                "write one with renth plan METHOD --dry-run --json > " + file);
  }
  return from_rows(study, std::filesystem::path(file).stem().string(), rows, model);
}

/// What the recipe of a batch says it was made for.
std::string model_of(Session& session, const std::string& name) {
  const auto batch = session.store.batch(name);
  return batch && batch->options.contains("model") ? batch->options.at("model") : "";
}

/// The runs that are or can be done and are wanted, and the names of their batches joined by +.
PlanSource planned_runs(Session& session, const std::function<bool(const Run&)>& wanted) {
  Rows rows;
  std::vector<std::string> batches;
  for (const Run& run : session.store.runs()) {
    if (run.set_aside || run.status == RunStatus::failed || !wanted(run)) continue;
    rows.points.push_back(point_of(session.study, run));
    rows.origins.push_back(run.origin);
    rows.blocks.push_back(run.block);
    if (std::find(batches.begin(), batches.end(), run.batch) == batches.end()) batches.push_back(run.batch);
  }
  return from_rows(session.study, fmt::format("{}", fmt::join(batches, "+")), rows,
                   batches.size() == 1 ? model_of(session, batches[0]) : "");
}

}  // namespace

PlanSource fitted_runs(Session& session) {
  return planned_runs(session, [](const Run& run) { return run.use == "fit"; });
}

PlanSource find_plan(Session& session, const std::string& name) {
  std::vector<std::string> wanted;
  for (std::size_t at = 0; !name.empty() && at <= name.size();) {
    const std::size_t end = std::min(name.find('+', at), name.size());
    wanted.push_back(name.substr(at, end - at));
    at = end + 1;
  }
  PlanSource out;
  std::string model;
  for (const std::string& w : wanted) {
    if (session.store.batch(w)) {
      if (const std::string own = model_of(session, w); !own.empty()) model = own;
      continue;
    }
    if (wanted.size() == 1 && std::filesystem::exists(name)) out = from_file(session.study, name);
    if (!out.name.empty()) break;
    session.store.need_batch(w, "--batch " + name);
  }
  if (wanted.empty()) {
    out = fitted_runs(session);
  } else if (out.name.empty()) {
    out = planned_runs(session, [&](const Run& run) {
      return std::find(wanted.begin(), wanted.end(), run.batch) != wanted.end();
    });
    out.name = name;
    out.model = model;
  }
  if (out.points.rows() == 0)
    throw Error("there are no runs to judge", name.empty() ? "assess" : out.name, "plan some: renth plan");
  return out;
}

Terms terms_asked(const Study& study, const std::string& asked, const PlanSource& plan) {
  const std::string& text = asked.empty() ? plan.model : asked;
  return text.empty() ? Terms{} : parse_models(study.space, text)[0];
}

AssessResult assess_plans(Session& session, const AssessingOptions& options) {
  const Study& study = session.study;
  std::vector<PlanSource> sources = {find_plan(session, options.batch)};
  for (const std::string& name : options.against) sources.push_back(find_plan(session, name));
  Terms terms = terms_asked(study, options.model, sources[0]);
  AssessResult out;
  for (const PlanSource& source : sources) {
    Assessment a = assess(study.space, source.points, source.blocks, terms);
    if (terms.empty()) terms = a.terms;  // the others are judged for the same
    for (const std::string& w : a.warnings)
      add_note(out.notes, a.information.estimable ? "plan" : "confounded",
               sources.size() > 1 ? source.name + ": " + w : w);
    out.plans.push_back({source.name, std::move(a)});
  }
  out.model = describe(study.space, terms);
  return out;
}

}  // namespace renth
