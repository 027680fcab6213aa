#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/base/names.hpp>
#include <renth/space/shown.hpp>
#include <renth/workflow/import_rows.hpp>
#include <set>
#include <unordered_map>

namespace renth {
namespace {

class Importer {
 public:
  Importer(Session& session, const std::string& file, const ImportOptions& options)
      : session_(session),
        study_(session.study),
        file_(file),
        options_(options),
        tolerance_(options.tolerance.value_or(1e-6)) {}

  ImportResult run() {
    ImportRows read = read_import_rows(study_, file_, options_);
    result_.notes = read.notes;
    result_.refused = std::move(read.refused);
    total_ = read.rows.size() + result_.refused.size();
    session_.store.transaction([&] {
      runs_ = session_.store.runs();
      index_runs();
      if (!options_.repeats) find_same_again(read.rows);
      for (const ImportRow& row : read.rows) {
        try {
          store(row);
        } catch (const Error& e) {
          result_.refused.emplace_back(row.line, fmt::format("{}: {}", e.problem(), e.remedy()));
        }
      }
      std::sort(result_.refused.begin(), result_.refused.end());
      if (!options_.partial) refuse();  // thrown inside the transaction: nothing stays
    });
    return std::move(result_);
  }

 private:
  void refuse() const {
    if (result_.refused.empty()) return;
    std::string text;
    for (const auto& [line, why] : result_.refused) text += fmt::format("\n  line {}: {}", line, why);
    throw Error(
        fmt::format("{} of {} rows are refused, nothing was imported", result_.refused.size(), total_), file_,
        "correct them and import again, or import the others with --partial:" + text);
  }

  void index_runs() {
    for (std::size_t i = 0; i < runs_.size(); ++i) {
      by_id_[runs_[i].id] = i;
      if (runs_[i].status == RunStatus::planned) planned_.emplace(first_coordinate(runs_[i].settings), i);
    }
  }

  /// The values of the parameters that vary, to find equal settings by.
  std::string setting_key(const Settings& settings) const {
    std::string out;
    for (const Parameter& p : study_.space.parameters()) {
      const auto found = settings.find(p.name);
      if (found == settings.end()) return "";
      std::visit([&](const auto& value) { out += fmt::format("{}|", value); }, found->second);
    }
    return out;
  }

  using RunsBySetting = std::unordered_multimap<std::string, std::size_t>;  // by setting_key()

  /// A run of these, not counted yet, and in nothing other than the row; null if there is none.
  const Run* same_as(const ImportRow& row, const RunsBySetting& done,
                     const std::set<std::int64_t>& counted) const {
    const auto [from, to] = done.equal_range(setting_key(row.settings));
    for (auto at = from; at != to; ++at) {
      const Run& run = runs_[at->second];
      const auto same_response = [&](const auto& o) {
        const auto own = run.responses.find(o.first);
        return own != run.responses.end() && same_output(own->second, o.second);
      };
      if (!counted.count(run.id) && std::all_of(row.outputs.begin(), row.outputs.end(), same_response))
        return &run;
    }
    return nullptr;
  }

  static bool is_new_result(const ImportRow& row) { return !row.id && !row.outputs.empty(); }

  /// Rows without an id that are all there already: the same table again.
  void find_same_again(const std::vector<ImportRow>& rows) {
    const auto new_rows = std::size_t(std::count_if(rows.begin(), rows.end(), is_new_result));
    if (new_rows == 0) return;
    RunsBySetting done;
    for (std::size_t i = 0; i < runs_.size(); ++i)
      if (runs_[i].status == RunStatus::done) done.emplace(setting_key(runs_[i].settings), i);
    std::set<std::int64_t> counted;
    for (const ImportRow& row : rows)
      if (is_new_result(row))
        if (const Run* run = same_as(row, done, counted)) counted.insert(run->id);
    same_again_ = new_rows > 1 && counted.size() == new_rows;
    const std::vector<std::int64_t> ids(counted.begin(), counted.end());
    if (same_again_)
      add_note(
          result_.notes, "imported_before",
          fmt::format("every row equals a run that is there ({}), so nothing is added: if they are repeats, "
                      "import with --repeats",
                      listed_runs(ids)));
    else if (!counted.empty())
      add_note(
          result_.notes, "equal_rows",
          fmt::format("{} of the rows equal runs that are there ({}) in every setting and response, and were "
                      "added as repeats: renth set-aside takes out what is the same run",
                      counted.size(), listed_runs(ids)));
  }

  /// Planned runs are looked up by their first numeric parameter, in spans.
  double first_coordinate(const Settings& settings) const {
    for (const Parameter& p : study_.space.parameters()) {
      if (p.is_choice()) continue;
      const auto found = settings.find(p.name);
      const auto* number = found == settings.end() ? nullptr : std::get_if<double>(&found->second);
      return number ? *number / (p.high - p.low) : 0;
    }
    return 0;
  }

  /// Said tolerances stand alone.
  bool as_shown(const Parameter& p, double planned, double given) const {
    return !options_.tolerance && is_shown_as(p, planned, given);
  }

  /// Largest difference of a parameter, in spans; infinite if a choice differs or a value is missing. A value
  /// as it was shown to people is the same.
  double distance(const Settings& a, const Settings& b) const {
    double largest = 0;
    for (const Parameter& p : study_.space.parameters()) {
      const auto u = a.find(p.name), v = b.find(p.name);
      if (u == a.end() || v == b.end() || u->second.index() != v->second.index()) return INFINITY;
      if (p.is_choice()) {
        if (u->second != v->second) return INFINITY;
      } else {
        const double planned = std::get<double>(u->second), given = std::get<double>(v->second);
        if (!as_shown(p, planned, given))
          largest = std::max(largest, std::abs(planned - given) / (p.high - p.low));
      }
    }
    return largest;
  }

  /// The planned run that a row is. \throws Error  there is one so near that the settings may only be
  /// rounded.
  const Run* planned_at(const ImportRow& row) const {
    const double exact = tolerance_ * (1 + 1e-9) + 1e-12, reach = options_.tolerance ? exact : 0.005;
    const double x = first_coordinate(row.settings);
    const Run* best = nullptr;
    double nearest = INFINITY;
    for (auto it = planned_.lower_bound(x - reach); it != planned_.end() && it->first <= x + reach; ++it) {
      const Run& run = runs_[it->second];
      const double d = taken_.count(run.id) ? INFINITY : distance(run.settings, row.settings);
      // Replicates are equally near: the first of them takes the first row.
      if (d <= reach && (d < nearest || (d == nearest && run.id < best->id))) nearest = d, best = &run;
    }
    if (best && nearest > exact)
      throw Error(fmt::format("run {} is planned {:.1g} of a span away", best->id, nearest), "row",
                  "if it is that run, import with --tolerance 0.005; if it is another, with --tolerance 0");
    return best;
  }

  static bool same_output(const Output& a, const Output& b) {
    return a.values.size() == b.values.size() &&
           std::equal(a.values.begin(), a.values.end(), b.values.begin(),
                      [](double u, double v) { return u == v || (std::isnan(u) && std::isnan(v)); });
  }

  /// Responses that the row brings and the run lacks. \throws Error  the run has others already.
  void check_fits(const Run& run, const ImportRow& row) const {
    if (run.status == RunStatus::running)
      throw Error(fmt::format("run {} is being computed", run.id), "id",
                  "wait until it is done, or stop renth run");
    for (const auto& [key, value] : row.settings) {
      const auto own = run.settings.find(key);
      const auto p = study_.space.find(key);
      if (!p || own == run.settings.end() || own->second == value) continue;
      const auto *a = std::get_if<double>(&own->second), *b = std::get_if<double>(&value);
      const Parameter& parameter = study_.space[*p];
      if (a && b &&
          (std::abs(*a - *b) <= tolerance_ * (parameter.high - parameter.low) || as_shown(parameter, *a, *b)))
        continue;
      throw Error(fmt::format("run {} has another {}", run.id, key), "id",
                  "leave id empty to add it as a new run");
    }
    for (const auto& [response, output] : row.outputs)
      if (const auto own = run.responses.find(response);
          own != run.responses.end() && !same_output(own->second, output))
        throw Error(fmt::format("run {} has another {} already", run.id, response), "id",
                    "set it aside and leave id empty to add a repeat");
  }

  void store(const ImportRow& row) {
    if (same_again_ && is_new_result(row)) {
      ++result_.unchanged;
      return;
    }
    const Run* match = nullptr;
    if (row.id) {
      if (const auto found = by_id_.find(*row.id); found != by_id_.end()) {
        match = &runs_[found->second];
        if (taken_.count(match->id))
          throw Error(fmt::format("run {} stands in the table twice", *row.id), "id",
                      "leave id empty to add a repeat");
      }
    } else {
      match = planned_at(row);
    }
    if (match) return fill(*match, row);
    study_.point_of_run(row.settings, "row");
    Run run;
    run.origin = row.origin.empty() ? "imported" : row.origin;
    run.block = row.block;
    run.settings = row.settings;
    const std::int64_t id = session_.store.add_run(batch_for(row), run);
    ++(row.outputs.empty() ? result_.planned : result_.added);
    keep_results(id, row);
  }

  void fill(const Run& run, const ImportRow& row) {
    check_fits(run, row);
    taken_.insert(run.id);
    const bool brings = std::any_of(row.outputs.begin(), row.outputs.end(),
                                    [&](const auto& o) { return run.responses.count(o.first) == 0; });
    if (!brings) {
      ++result_.unchanged;
      return;
    }
    ++result_.filled;
    keep_results(run.id, row);
  }

  void keep_results(std::int64_t id, const ImportRow& row) {
    if (!row.outputs.empty()) {
      session_.store.set_outputs(id, row.outputs);
      session_.store.set_status(id, RunStatus::done, row.message, row.seconds, 0);
    } else if (row.failed) {
      session_.store.set_status(id, RunStatus::failed, row.message, row.seconds, 0);
    }
    if (!row.aside.empty()) session_.store.set_aside(id, "", row.aside);
    for (const auto& [response, why] : row.response_aside) session_.store.set_aside(id, response, why);
  }

  /// The batch that new rows go to; made when first needed.
  const std::string& batch_for(const ImportRow& row) {
    const std::string wanted = !options_.batch.empty() ? options_.batch : row.batch;
    const std::string use = !options_.use.empty() ? options_.use : row.use.empty() ? "fit" : row.use;
    std::string& name = batch_names_[{wanted, use}];
    if (!name.empty()) return name;
    name = wanted.empty() ? next_batch_name(session_.store, "imported") : wanted;
    if (const auto existing = session_.store.batch(name)) {
      if (existing->use != use && !wanted.empty())
        add_note(result_.notes, "use",
                 fmt::format("the batch {} has the use {}, also for the new rows", name, existing->use));
    } else {
      session_.store.add_batch({0, name, use, "imported", {{"file", file_}}, study_.seed, 0}, {});
    }
    result_.batches.push_back(name);
    return name;
  }

  Session& session_;
  const Study& study_;
  std::string file_;
  const ImportOptions& options_;
  double tolerance_;
  std::size_t total_ = 0;
  std::vector<Run> runs_;
  std::unordered_map<std::int64_t, std::size_t> by_id_;
  std::multimap<double, std::size_t> planned_;  // by first coordinate
  bool same_again_ = false;
  std::set<std::int64_t> taken_;
  std::map<std::pair<std::string, std::string>, std::string> batch_names_;
  ImportResult result_;
};

}  // namespace

ImportResult import_table(Session& session, const std::string& file, const ImportOptions& options) {
  return Importer(session, file, options).run();
}

}  // namespace renth
