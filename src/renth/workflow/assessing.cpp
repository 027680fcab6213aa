#include <fmt/format.h>

#include <algorithm>
#include <fstream>
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
  if (rows.points.empty())
    throw Error("there are no runs to judge", name.empty() ? "assess" : name, "plan some: renth plan");
  PlanSource out{name, Eigen::MatrixXd(Eigen::Index(rows.points.size()), study.space.size()), rows.origins,
                 Eigen::VectorXi::Map(rows.blocks.data(), Eigen::Index(rows.blocks.size())), model};
  for (std::size_t i = 0; i < rows.points.size(); ++i) out.points.row(Eigen::Index(i)) = rows.points[i];
  return out;
}

PlanSource from_file(const Study& study, const std::string& file) {
  nlohmann::json document;
  Rows rows;
  std::string model;
  try {
    document = nlohmann::json::parse(std::ifstream(file));
    for (const auto& run : document.at("runs")) {
      Settings settings;
      for (const auto& [key, value] : settings_from_json(run.at("point")))
        if (study.space.find(key)) settings[key] = value;
      rows.points.push_back(study.point(settings, false, file));
      rows.origins.push_back(run.at("origin").get<std::string>());
      rows.blocks.push_back(run.at("block").get<int>());
    }
    model = document.value("model", "");
  } catch (const nlohmann::json::exception& e) {
    throw Error(std::string("this is no plan (") + e.what() + ")", file,
                "write one with renth plan METHOD --dry-run --json > " + file);
  }
  return from_rows(study, std::filesystem::path(file).stem().string(), rows, model);
}

}  // namespace

PlanSource find_plan(Session& session, const std::string& name) {
  std::vector<std::string> wanted;
  for (std::size_t at = 0; !name.empty() && at <= name.size();) {
    const std::size_t end = std::min(name.find('+', at), name.size());
    wanted.push_back(name.substr(at, end - at));
    at = end + 1;
  }
  std::string model, joined;
  for (const std::string& w : wanted) {
    const auto batch = session.store.batch(w);
    if (!batch && wanted.size() == 1 && std::filesystem::exists(name)) return from_file(session.study, name);
    if (!batch) {
      std::string known;
      for (const Batch& b : session.store.batches()) known += (known.empty() ? "" : ", ") + b.name;
      throw Error("there is no batch " + w, "--batch " + name,
                  known.empty() ? "plan one: renth plan"
                                : "use one of " + known +
                                      ", several joined by +, or a file from plan --dry-run --json");
    }
    if (batch->options.contains("model")) model = batch->options.at("model");
  }
  Rows rows;
  for (const Run& run : session.store.runs()) {
    if (run.set_aside || run.status == RunStatus::failed) continue;
    if (wanted.empty() ? run.use != "fit"
                       : std::find(wanted.begin(), wanted.end(), run.batch) == wanted.end())
      continue;
    Settings settings;
    for (const auto& [key, value] : run.settings)
      if (session.study.space.find(key)) settings[key] = value;
    rows.points.push_back(session.study.point(settings, false, fmt::format("run {}", run.id)));
    rows.origins.push_back(run.origin);
    rows.blocks.push_back(run.block);
    if (wanted.empty() && joined.find(run.batch) == std::string::npos)
      joined += (joined.empty() ? "" : "+") + run.batch;
  }
  if (wanted.empty() && joined.find('+') == std::string::npos && !joined.empty())
    if (const auto batch = session.store.batch(joined); batch && batch->options.contains("model"))
      model = batch->options.at("model");
  return from_rows(session.study, wanted.empty() ? joined : name, rows, model);
}

AssessResult assess_plans(Session& session, const AssessingOptions& options) {
  const Study& study = session.study;
  std::vector<PlanSource> sources = {find_plan(session, options.batch)};
  for (const std::string& name : options.against) sources.push_back(find_plan(session, name));
  const std::string& text = options.model.empty() ? sources[0].model : options.model;
  Terms terms = text.empty() ? Terms{} : parse_terms(study.space, text);
  AssessResult out;
  for (const PlanSource& source : sources) {
    Assessment a = assess(study.space, source.points, source.blocks, terms);
    if (terms.empty()) {
      terms = a.terms;  // the others are judged for the same
      out.model = describe(study.space, terms);
    }
    for (const std::string& w : a.warnings)
      add_note(out.notes, a.information.estimable ? "plan" : "confounded",
               sources.size() > 1 ? source.name + ": " + w : w);
    out.plans.push_back({source.name, std::move(a)});
  }
  out.model = describe(study.space, terms);
  return out;
}

}  // namespace renth
