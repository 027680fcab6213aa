#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/workflow/session.hpp>

namespace renth {

Session::Session(const std::filesystem::path& folder) : study(read_study(folder)), store(folder) {}

void add_note(Notes& notes, std::string code, std::string text) {
  if (std::none_of(notes.begin(), notes.end(),
                   [&](const Note& n) { return n.code == code && n.text == text; }))
    notes.push_back({std::move(code), std::move(text)});
}

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

/// The weight of a run. \throws Error  not above zero; a response that the run does not have.
double weight_of(const Study& study, const Run& run, const Expression& weight) {
  const Eigen::VectorXd point = point_of(study, run);
  std::vector<double> numbers(point.data(), point.data() + point.size());
  for (const double v : study.fixed_numbers()) numbers.push_back(v);
  const std::size_t first = numbers.size();
  const std::vector<Eigen::VectorXd> no_curves(first + study.responses.size());
  const auto refuse = [&](const std::string& what) {
    throw Error(fmt::format("run {} {}", run.id, what), "--weights \"" + weight.text() + "\"",
                "weigh by something that every run has, or set the run aside");
  };
  for (std::size_t k = 0; k < study.responses.size(); ++k) {
    const bool used = weight.uses(first + k);
    if (used && study.responses[k].axis >= 0) refuse("has a curve there, and a weight is a number");
    const auto value = used ? computed_value(study, run, study.responses[k]) : std::nullopt;
    if (used && !value) refuse("has no " + study.responses[k].name);
    numbers.push_back(value.value_or(std::numeric_limits<double>::quiet_NaN()));
  }
  const double out = weight.value({numbers.data(), &no_curves});
  if (!(out > 0)) refuse(fmt::format("would have weight {}", out));
  return out;
}

}  // namespace

Eigen::VectorXd point_of(const Study& study, const Settings& settings, const std::string& place) {
  Settings known;
  for (const auto& [name, value] : settings)
    if (study.space.find(name)) known[name] = value;
  return study.point(known, false, place);
}
Eigen::VectorXd point_of(const Study& study, const Run& run) {
  return point_of(study, run.settings, fmt::format("run {}", run.id));
}

Eigen::MatrixXd stacked(const std::vector<Eigen::VectorXd>& points, Eigen::Index columns) {
  Eigen::MatrixXd out(Eigen::Index(points.size()), columns);
  for (std::size_t i = 0; i < points.size(); ++i) out.row(Eigen::Index(i)) = points[i];
  return out;
}

RunData collect_data(Session& session, const Response& response, const std::vector<std::string>& uses,
                     const std::string& weights) {
  const Study& study = session.study;
  std::optional<Expression> weight;
  if (!weights.empty()) weight.emplace(weights, study.symbols(), "--weights");
  std::vector<double> counts;
  RunData out;
  std::vector<Eigen::VectorXd> points;
  std::vector<std::vector<double>> values;
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
    std::vector<double> y = on_axis(study, response, found->second);
    if (std::none_of(y.begin(), y.end(), [](double v) { return std::isfinite(v); })) continue;
    points.push_back(point_of(study, run));
    if (weight) counts.push_back(weight_of(study, run, *weight));
    values.push_back(std::move(y));
    blocks.push_back(run.block);
    out.ids.push_back(run.id);
    out.batches.push_back(run.batch);
  }
  const auto n = static_cast<Eigen::Index>(points.size());
  const Axis* axis = study.axis_of(response);
  out.data.inputs = stacked(points, study.space.size());
  out.data.outputs.resize(n, axis ? static_cast<Eigen::Index>(axis->points.size()) : 1);
  for (Eigen::Index i = 0; i < n; ++i) {
    out.data.outputs.row(i) = Eigen::Map<const Eigen::RowVectorXd>(values[i].data(), out.data.outputs.cols());
  }
  // Blocks count from 0 without gaps; one block alone is none.
  std::vector<int> distinct = blocks;
  std::sort(distinct.begin(), distinct.end());
  distinct.erase(std::unique(distinct.begin(), distinct.end()), distinct.end());
  if (distinct.size() > 1) {
    out.data.blocks.resize(n);
    for (Eigen::Index i = 0; i < n; ++i)
      out.data.blocks[i] =
          static_cast<int>(std::lower_bound(distinct.begin(), distinct.end(), blocks[i]) - distinct.begin());
  }
  out.data.noisy = study.noisy();
  if (weight) out.data.weights = Eigen::Map<const Eigen::VectorXd>(counts.data(), n);
  if (aside > 0)
    add_note(out.notes, "set_aside",
             fmt::format("{}: {} run{} set aside and not used", response.name, aside,
                         aside == 1 ? " is" : "s are"));
  if (other_fixed > 0)
    add_note(
        out.notes, "other_fixed_value",
        fmt::format(
            "{}: {} runs were made with another value of a parameter that is fixed now, and are not used",
            response.name, other_fixed));
  return out;
}

std::optional<Eigen::VectorXd> computed_curve(const Study& study, const Run& run, const Response& response) {
  const auto found = run.responses.find(response.name);
  if (found == run.responses.end()) return std::nullopt;
  const std::vector<double> y = on_axis(study, response, found->second);
  return Eigen::Map<const Eigen::VectorXd>(y.data(), Eigen::Index(y.size()));
}

std::optional<double> computed_value(const Study& study, const Run& run, const Response& response) {
  if (!response.derive) {
    const auto found = run.responses.find(response.name);
    if (found == run.responses.end()) return std::nullopt;
    const double value = on_axis(study, response, found->second)[0];
    return std::isfinite(value) ? std::optional(value) : std::nullopt;
  }
  const Eigen::VectorXd point = point_of(study, run);
  std::vector<double> numbers(point.data(), point.data() + point.size());
  for (const double v : study.fixed_numbers()) numbers.push_back(v);
  std::vector<Eigen::VectorXd> curves(numbers.size());
  const std::size_t first = numbers.size();
  for (std::size_t k = 0; k < study.responses.size(); ++k) {
    const Response& r = study.responses[k];
    numbers.push_back(std::numeric_limits<double>::quiet_NaN());
    curves.emplace_back();
    if (&r == &response || r.name == response.name || !response.derive->uses(first + k)) continue;
    if (r.axis >= 0) {
      const auto curve = computed_curve(study, run, r);
      if (!curve) return std::nullopt;
      curves.back() = *curve;
    } else {
      const auto value = computed_value(study, run, r);
      if (!value) return std::nullopt;
      numbers.back() = *value;
    }
  }
  try {
    return response.derive->value({numbers.data(), &curves});
  } catch (const Error&) {
    return std::nullopt;  // a missing axis point, or a division by zero in this run
  }
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
  std::string text = fmt::format("{} {}", response.name, study.noisy());
  for (const Parameter& p : study.space.parameters())
    text += fmt::format("|{} {} {} {} {}", p.name, static_cast<int>(p.kind), p.low, p.high,
                        fmt::join(p.choices, ","));
  if (const Axis* axis = study.axis_of(response)) text += fmt::format("|{}", fmt::join(axis->points, ","));
  return hash64(text);
}

std::vector<std::string> uses_fitted(const StoredSurrogate& stored) {
  const nlohmann::json options = nlohmann::json::parse(stored.options);
  return options.value("take_confirm", false) ? std::vector<std::string>{"fit", "confirm"}
                                              : std::vector<std::string>{"fit"};
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
