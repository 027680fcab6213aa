#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/numeric/random.hpp>
#include <renth/problem/bound_values.hpp>
#include <renth/store/session.hpp>

namespace renth {

Session::Session(const std::filesystem::path& folder) : study(read_study(folder)), store(folder) {}

std::vector<double> on_axis(const Study& study, const Response& response, const Output& output) {
  const Axis* axis = study.axis_of(response);
  constexpr double missing = std::numeric_limits<double>::quiet_NaN();
  if (!axis) return {output.values.size() == 1 ? output.values[0] : missing};
  std::vector<double> out;
  for (const double point : axis->points) {
    const auto found = std::find(output.axis.begin(), output.axis.end(), point);
    const auto at = static_cast<std::size_t>(found - output.axis.begin());
    out.push_back(at < output.values.size() ? output.values[at] : missing);
  }
  return out;
}

namespace {

/// Was the run made with the value that a parameter is fixed at now?
bool fixed_values_match(const Study& study, const Run& run) {
  return std::all_of(study.fixed.begin(), study.fixed.end(), [&](const FixedParameter& f) {
    const auto found = run.settings.find(f.name);
    return found == run.settings.end() || found->second == f.value;
  });
}

/// Values of some responses in one run, derived ones worked out from its own outputs; NaN where missing.
BoundValues values_of(const Study& study, const Run& run, const std::vector<int>& responses) {
  BoundValues values(study, point_of(study, run).transpose());
  for (const int wanted : responses)
    for (const int k : sources_of(study, wanted)) {
      const Response& r = study.responses[std::size_t(k)];
      const auto found = run.responses.find(r.name);
      if (found == run.responses.end()) continue;
      const std::vector<double> y = on_axis(study, r, found->second);
      values.set(k, Eigen::Map<const Eigen::RowVectorXd>(y.data(), Eigen::Index(y.size())));
    }
  values.derive(responses);
  return values;
}

/// The weight of a run. \throws Error  not above zero; a response that the run does not have.
double weight_of(const Study& study, const Run& run, const Expression& weight) {
  const auto refuse = [&](const std::string& what) {
    throw Error(fmt::format("run {} {}", run.id, what), "--weights \"" + weight.text() + "\"",
                "weigh by something that every run has, or set the run aside");
  };
  std::vector<int> used;
  for (int k = 0; k < int(study.responses.size()); ++k)
    if (weight.uses(study.first_response() + std::size_t(k))) used.push_back(k);
  const BoundValues values = values_of(study, run, used);
  for (const int k : used) {
    const Response& r = study.responses[std::size_t(k)];
    if (r.is_curve()) refuse("has a curve there, and a weight is a number");
    if (!std::isfinite(values.response(k)(0, 0))) refuse("has no " + r.name);
  }
  const double out = values.values(weight)[0];
  if (!(out > 0)) refuse(fmt::format("would have weight {}", out));
  return out;
}

}  // namespace

Eigen::VectorXd point_of(const Study& study, const Run& run) {
  return study.point_of_run(run.settings, fmt::format("run {}", run.id));
}

Eigen::MatrixXd stacked(const std::vector<Eigen::VectorXd>& points, Eigen::Index columns) {
  Eigen::MatrixXd out(Eigen::Index(points.size()), columns);
  for (std::size_t i = 0; i < points.size(); ++i) out.row(Eigen::Index(i)) = points[i];
  return out;
}

namespace {

/// Blocks count from 0 without gaps; one block alone is none.
Eigen::VectorXi numbered(const std::vector<int>& blocks) {
  std::vector<int> distinct = blocks;
  std::sort(distinct.begin(), distinct.end());
  distinct.erase(std::unique(distinct.begin(), distinct.end()), distinct.end());
  Eigen::VectorXi out;
  if (distinct.size() < 2) return out;
  out.resize(Eigen::Index(blocks.size()));
  for (std::size_t i = 0; i < blocks.size(); ++i)
    out[Eigen::Index(i)] =
        static_cast<int>(std::lower_bound(distinct.begin(), distinct.end(), blocks[i]) - distinct.begin());
  return out;
}

void note_left_out(const Response& response, int aside, int other_fixed, Notes& notes) {
  if (aside > 0)
    add_note(notes, "set_aside",
             fmt::format("{}: {} run{} set aside and not used", response.name, aside,
                         aside == 1 ? " is" : "s are"));
  if (other_fixed > 0)
    add_note(
        notes, "other_fixed_value",
        fmt::format(
            "{}: {} runs were made with another value of a parameter that is fixed now, and are not used",
            response.name, other_fixed));
}

}  // namespace

RunData collect_data(Session& session, const Response& response, const std::vector<std::string>& uses,
                     const std::string& weights) {
  const Study& study = session.study;
  std::optional<Expression> weight;
  if (!weights.empty()) weight.emplace(weights, study.symbols(), "--weights");
  RunData out;
  std::vector<Eigen::VectorXd> points, values;
  std::vector<double> counts;
  std::vector<int> blocks;
  int aside = 0, other_fixed = 0;
  for (const Run& run : session.store.runs()) {
    const auto found = run.responses.find(response.name);
    if (run.status != RunStatus::done || found == run.responses.end()) continue;
    if (std::find(uses.begin(), uses.end(), run.use) == uses.end()) continue;
    if (run.set_aside || run.response_set_aside.count(response.name)) {
      ++aside;
      continue;
    }
    if (!fixed_values_match(study, run)) {
      ++other_fixed;
      continue;
    }
    const std::vector<double> y = on_axis(study, response, found->second);
    if (std::none_of(y.begin(), y.end(), [](double v) { return std::isfinite(v); })) continue;
    points.push_back(point_of(study, run));
    if (weight) counts.push_back(weight_of(study, run, *weight));
    values.emplace_back(Eigen::Map<const Eigen::VectorXd>(y.data(), Eigen::Index(y.size())));
    blocks.push_back(run.block);
    out.ids.push_back(run.id);
    out.batches.push_back(run.batch);
  }
  out.data.inputs = stacked(points, study.space.size());
  out.data.outputs = stacked(values, study.outputs(response));
  out.data.blocks = numbered(blocks);
  out.data.noisy = study.noisy;
  if (weight)
    out.data.weights = Eigen::Map<const Eigen::VectorXd>(counts.data(), Eigen::Index(counts.size()));
  note_left_out(response, aside, other_fixed, out.notes);
  return out;
}

std::optional<Eigen::VectorXd> computed_curve(const Study& study, const Run& run, const Response& response) {
  const auto found = run.responses.find(response.name);
  if (found == run.responses.end()) return std::nullopt;
  const std::vector<double> y = on_axis(study, response, found->second);
  return Eigen::Map<const Eigen::VectorXd>(y.data(), Eigen::Index(y.size()));
}

std::optional<double> computed_value(const Study& study, const Run& run, const Response& response) {
  const int index = study.response(response.name);
  const double value = values_of(study, run, {index}).response(index)(0, 0);
  return std::isfinite(value) ? std::optional(value) : std::nullopt;
}

std::uint64_t data_hash(const RunData& d) {
  std::uint64_t hash = hash64(fmt::format("{} {}", d.data.inputs.rows(), d.data.outputs.cols()));
  const auto add = [&](const void* bytes, std::size_t size) {
    hash = hash64({static_cast<const char*>(bytes), size}, hash);
  };
  add(d.data.inputs.data(), sizeof(double) * d.data.inputs.size());
  add(d.data.outputs.data(), sizeof(double) * d.data.outputs.size());
  add(d.ids.data(), sizeof(std::int64_t) * d.ids.size());
  if (d.data.weights.size() > 0) add(d.data.weights.data(), sizeof(double) * d.data.weights.size());
  if (d.data.blocks.size() > 0) add(d.data.blocks.data(), sizeof(int) * d.data.blocks.size());
  return hash;
}

std::uint64_t study_hash(const Study& study, const Response& response) {
  std::string text = fmt::format("{} {}", response.name, study.noisy);
  for (const Parameter& p : study.space.parameters())
    text += fmt::format("|{} {} {} {} {}", p.name, static_cast<int>(p.kind), p.low, p.high,
                        fmt::join(p.choices, ","));
  if (const Axis* axis = study.axis_of(response)) text += fmt::format("|{}", fmt::join(axis->points, ","));
  return hash64(text);
}

std::vector<std::string> uses_fitted(bool take_confirm) {
  return take_confirm ? std::vector<std::string>{"fit", "confirm"} : std::vector<std::string>{"fit"};
}

std::vector<std::string> uses_fitted(const StoredSurrogate& stored) {
  return uses_fitted(nlohmann::json::parse(stored.options).value("take_confirm", false));
}

std::string weights_fitted(const StoredSurrogate& stored) {
  return nlohmann::json::parse(stored.options).value("weights", "");
}

std::optional<StoredSurrogate> current_surrogate(Session& session, const Response& response, Notes& notes) {
  auto stored = session.store.current(response.name);
  if (!stored) return std::nullopt;
  if (stored->study_hash != study_hash(session.study, response)) {
    // A model of other parameters cannot even be asked.
    add_note(
        notes, "out_of_date",
        fmt::format("{}: the study has changed since the surrogate was fitted; fit again", response.name));
    return std::nullopt;
  }
  if (stored->data_hash !=
      data_hash(collect_data(session, response, uses_fitted(*stored), weights_fitted(*stored))))
    add_note(notes, "out_of_date",
             fmt::format("{}: runs were added or changed since the surrogate was fitted; fit again",
                         response.name));
  return stored;
}

StoredSurrogate need_surrogate(Session& session, const Response& response, Notes& notes) {
  if (auto stored = current_surrogate(session, response, notes)) return std::move(*stored);
  throw Error(fmt::format("{} has no surrogate that matches the study", response.name), "study.db",
              "renth fit --response " + response.name);
}

std::vector<Response> chosen_responses(const Study& study, const std::vector<std::string>& names,
                                       bool with_derived) {
  std::vector<Response> out;
  for (const std::string& wanted : names) {
    const int index = study.response(wanted);
    std::string known;
    for (const Response& r : study.responses) known += (known.empty() ? "" : ", ") + r.name;
    if (index < 0)
      throw Error("no response is called " + wanted, "--response " + wanted, "use one of " + known);
    if (study.responses[index].derive && !with_derived)
      throw Error(wanted + " is derived from other responses and never fitted", "--response " + wanted,
                  "fit those it is made of");
    out.push_back(study.responses[index]);
  }
  if (names.empty())
    for (const Response& r : study.responses)
      if (with_derived || !r.derive) out.push_back(r);
  return out;
}

Coverage coverage_of(Session& session) {
  std::vector<Eigen::VectorXd> points;
  for (const Run& run : session.store.runs())
    if (run.status == RunStatus::done && run.use == "fit" && !run.set_aside &&
        fixed_values_match(session.study, run))
      points.push_back(point_of(session.study, run));
  return {session.study.space, stacked(points, session.study.space.size())};
}

std::string next_batch_name(Store& store, const std::string& use) {
  for (int i = 1;; ++i) {
    const std::string candidate = fmt::format("{}-{}", use, i);
    if (!store.batch(candidate)) return candidate;
  }
}

Seed batch_seed(const Study& study, const std::string& batch) {
  return hash64("batch " + batch, study.seed) >> 11;
}

}  // namespace renth
