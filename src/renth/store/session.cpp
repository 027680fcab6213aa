#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/numeric/random.hpp>
#include <renth/problem/bound_values.hpp>
#include <renth/space/hard.hpp>
#include <renth/store/session.hpp>
#include <renth/terms/block_columns.hpp>
#include <unordered_map>

namespace renth {

namespace {

/// Counts up whenever what is worked out from the same runs may become something else.
constexpr int way_of_working = 1;

Eigen::MatrixXd covering_points(const RunTable& runs) {
  std::vector<Eigen::Index> rows;
  for (Eigen::Index i = 0; i < runs.size(); ++i)
    if (runs.use(i) == "fit" && !runs.set_aside[std::size_t(i)] && runs.fixed_match[std::size_t(i)])
      rows.push_back(i);
  return runs.points(rows);
}

}  // namespace

Session::Session(const std::filesystem::path& folder, Store::Opening opening)
    : study(read_study(folder)), store(folder, opening) {}

Session::~Session() {
  keep();
}

const RunTable& Session::runs() {
  // Read before the runs: of what is written meanwhile they may have more, never less.
  const std::int64_t revision = store.revision();
  if (!runs_ || revision != runs_revision_) {
    runs_.emplace(study, store);
    runs_revision_ = revision;
  }
  return *runs_;
}

const Coverage& Session::coverage() {
  const std::uint64_t now = state();
  if (!coverage_ || coverage_state_ != now) {
    const std::string bytes = worked_out(
        "coverage", 0, [&] { return Coverage(study.space, covering_points(runs())).save().bytes; });
    coverage_ = Coverage::load(study.space, {"coverage", 1, bytes, {}});
    coverage_state_ = now;
  }
  return *coverage_;
}

std::shared_ptr<const StoredSurrogate> Session::surrogate(const std::string& response,
                                                          const std::string& name) {
  auto& known = surrogates_[{response, name}];
  const std::int64_t id = store.fitted_id(response, name);
  if (id == 0)
    known = nullptr;
  else if (!known || known->id != id)
    known = std::make_shared<const StoredSurrogate>(*store.fitted(response, name));
  return known;
}

std::shared_ptr<const Model::Part> Session::part(const StoredSurrogate& stored,
                                                 const std::function<Model::Part()>& make) {
  const std::uint64_t now = state();
  std::erase_if(parts_, [&](const auto& made) { return made.second.state != now; });
  Made& made = parts_[stored.id];
  if (!made.part) made = {now, std::make_shared<const Model::Part>(make())};
  return made.part;
}

std::uint64_t Session::state() {
  return hash64(fmt::format("{} {} {}", way_of_working, store.revision(), study.text_hash));
}

std::uint64_t Session::data_state() {
  std::string text = fmt::format("{} {} {}", way_of_working, store.revision_of_fitted(), study.text_hash);
  for (const Response& r : study.responses)
    if (!r.derive) text += fmt::format(" {}", store.fitted_id(r.name));
  return hash64(text);
}

std::string Session::worked_out(const std::string& what, std::int64_t of,
                                const std::function<std::string()>& make) {
  const std::uint64_t now = state();
  for (const Store::WorkedOut& one : to_keep_)
    if (one.state == now && one.of == of && one.what == what) return one.bytes;
  if (auto known = store.worked_out(what, of, now)) return *known;
  to_keep_.push_back({what, of, now, make()});
  return to_keep_.back().bytes;
}

void Session::keep() {
  if (!to_keep_.empty()) store.keep(to_keep_);
  to_keep_.clear();
}

namespace {

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

/// The weights of runs. \throws Error  not above zero; a response that a run does not have.
Eigen::VectorXd weights_of(const Study& study, const RunTable& runs, const std::vector<Eigen::Index>& rows,
                           const Eigen::MatrixXd& points, const Expression& weight) {
  const auto refuse = [&](Eigen::Index i, const std::string& what) {
    throw Error(fmt::format("run {} {}", runs.ids[std::size_t(rows[std::size_t(i)])], what),
                "`weights` \"" + weight.text() + "\"",
                "weigh by something that every run has, or set the run aside");
  };
  BoundValues values(study, points);
  std::vector<int> used;
  for (int k = 0; k < int(study.responses.size()); ++k)
    if (weight.uses(study.first_response() + std::size_t(k))) used.push_back(k);
  for (const int wanted : used)
    for (const int k : sources_of(study, wanted)) values.set(k, runs.column(k).values(rows, Eigen::all));
  values.derive(used);
  for (const int k : used) {
    const Response& r = study.responses[std::size_t(k)];
    if (r.is_curve() && !rows.empty()) refuse(0, "has a curve there, and a weight is a number");
    const Eigen::MatrixXd y = values.response(k);
    for (Eigen::Index i = 0; i < y.rows(); ++i)
      if (!std::isfinite(y(i, 0))) refuse(i, "has no " + r.name);
  }
  Eigen::VectorXd out = values.values(weight);
  for (Eigen::Index i = 0; i < out.size(); ++i)
    if (!(out[i] > 0)) refuse(i, fmt::format("would have weight {}", out[i]));
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

/// Blocks within which hard parameters stay are whole plots, each of its batch; a run elsewhere is one of its
/// own. There are none if every run is.
void take_whole_plots(const Space& space, RunData& out) {
  const std::vector<Eigen::Index> hard = hard_parameters(space);
  if (hard.empty() || out.data.size() == 0) return;
  const auto block = [&](Eigen::Index i) { return out.data.blocks.size() > 0 ? out.data.blocks[i] : 0; };
  std::map<std::pair<std::string, int>, std::vector<Eigen::Index>> groups;
  for (Eigen::Index i = 0; i < out.data.size(); ++i)
    groups[{out.batches[std::size_t(i)], block(i)}].push_back(i);
  Eigen::VectorXi plots(out.data.size());
  int next = 0;
  for (const auto& [name, rows] : groups) {
    const bool whole = std::all_of(rows.begin(), rows.end(), [&](Eigen::Index i) {
      return out.data.inputs(i, hard) == out.data.inputs(rows[0], hard);
    });
    for (const Eigen::Index i : rows) plots[i] = whole ? next : next++;
    next += whole;
  }
  if (next == int(out.data.size())) return;
  out.data.plots = plots;
  out.data.blocks.resize(0);
}

/// Some done runs as data. \param weights  as of collect_data().
RunData gathered(const Study& study, const RunTable& runs, const RunTable::Column& column,
                 const std::vector<Eigen::Index>& rows, const std::string& weights) {
  RunData out;
  out.data.inputs = runs.points(rows);
  out.data.outputs = column.values(rows, Eigen::all);
  std::vector<int> blocks;
  for (const Eigen::Index i : rows) {
    blocks.push_back(runs.blocks[std::size_t(i)]);
    out.ids.push_back(runs.ids[std::size_t(i)]);
    out.batches.push_back(runs.batches[std::size_t(runs.batch[std::size_t(i)])].name);
  }
  const std::vector<int> numbers =
      numbered_blocks(Eigen::VectorXi::Map(blocks.data(), Eigen::Index(blocks.size())));
  out.data.blocks = Eigen::VectorXi::Map(numbers.data(), Eigen::Index(numbers.size()));
  take_whole_plots(study.space, out);
  out.data.noisy = study.noisy;
  if (!weights.empty())
    out.data.weights =
        weights_of(study, runs, rows, out.data.inputs, Expression(weights, study.symbols(), "`weights`"));
  return out;
}

}  // namespace

RunData collect_data(Session& session, const Response& response, const std::vector<std::string>& uses,
                     const std::string& weights) {
  const Study& study = session.study;
  const RunTable& runs = session.runs();
  const RunTable::Column& column = runs.column(study.response(response.name));
  std::vector<char> wanted;  // of each batch
  for (const Batch& b : runs.batches)
    wanted.push_back(std::find(uses.begin(), uses.end(), b.use) != uses.end());
  std::vector<Eigen::Index> rows;
  int aside = 0, other_fixed = 0;
  for (Eigen::Index i = 0; i < runs.size(); ++i) {
    const auto at = std::size_t(i);
    if (!column.has[at] || !wanted[std::size_t(runs.batch[at])]) continue;
    if (runs.set_aside[at] || column.aside[at]) {
      ++aside;
    } else if (!runs.fixed_match[at]) {
      ++other_fixed;
    } else if (column.values.row(i).array().isFinite().any()) {
      rows.push_back(i);
    }
  }
  RunData out = gathered(study, runs, column, rows, weights);
  note_left_out(response, aside, other_fixed, out.notes);
  return out;
}

RunData fitted_data(Session& session, const Response& response, const StoredSurrogate& stored) {
  const RunTable& runs = session.runs();
  const RunTable::Column& column = runs.column(session.study.response(response.name));
  std::unordered_map<std::int64_t, Eigen::Index> row_of;
  for (Eigen::Index i = 0; i < runs.size(); ++i) row_of.emplace(runs.ids[std::size_t(i)], i);
  std::vector<Eigen::Index> rows;
  for (const std::int64_t id : stored.runs) {
    const auto found = row_of.find(id);
    if (found == row_of.end() || !runs.fixed_match[std::size_t(found->second)]) continue;
    if (column.values.row(found->second).array().isFinite().any()) rows.push_back(found->second);
  }
  return gathered(session.study, runs, column, rows, weights_fitted(stored));
}

RunData need_fitted_data(Session& session, const Response& response, const StoredSurrogate& stored) {
  RunData out = fitted_data(session, response, stored);
  if (!is_as_fitted(out, stored))
    throw Error(fmt::format("runs that {} was fitted to have changed since", response.name), "study.db",
                "renth fit --response " + response.name);
  return out;
}

bool is_as_fitted(const RunData& data, const StoredSurrogate& stored) {
  return data.ids.size() == stored.runs.size() && data_hash(data) == stored.data_hash;
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
  if (d.data.plots.size() > 0) add(d.data.plots.data(), sizeof(int) * d.data.plots.size());
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

std::vector<std::string> left_out_of(const StoredSurrogate& stored) {
  return nlohmann::json::parse(stored.options).value("idle", std::vector<std::string>{});
}

std::shared_ptr<const StoredSurrogate> current_surrogate(Session& session, const Response& response,
                                                         Notes& notes) {
  auto stored = session.surrogate(response.name);
  if (!stored) return nullptr;
  if (stored->study_hash != study_hash(session.study, response)) {
    // A model of other parameters cannot even be asked.
    add_note(
        notes, "out_of_date",
        fmt::format("{}: the study has changed since the surrogate was fitted; fit again", response.name));
    return nullptr;
  }
  const auto matches = [&] {
    const RunData now = collect_data(session, response, uses_fitted(*stored), weights_fitted(*stored));
    return std::string(data_hash(now) == stored->data_hash ? "yes" : "no");
  };
  if (session.worked_out("matches its runs", stored->id, matches) != "yes")
    add_note(notes, "out_of_date",
             fmt::format("{}: runs were added or changed since the surrogate was fitted; fit again",
                         response.name));
  return stored;
}

std::shared_ptr<const StoredSurrogate> need_surrogate(Session& session, const Response& response,
                                                      Notes& notes) {
  if (auto stored = current_surrogate(session, response, notes)) return stored;
  throw Error(fmt::format("{} has no surrogate that matches the study", response.name), "study.db",
              "renth fit --response " + response.name);
}

std::vector<Response> chosen_responses(const Study& study, const std::vector<std::string>& names,
                                       bool with_derived) {
  std::vector<Response> out;
  for (const std::string& wanted : names) {
    const int index = study.response(wanted);
    if (index < 0) refuse_unknown("response", wanted, "--response", study.response_names());
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
