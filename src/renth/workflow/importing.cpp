#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/study/table_file.hpp>
#include <renth/workflow/importing.hpp>
#include <set>

namespace renth {
namespace {

const std::set<std::string> bookkeeping = {"id",     "batch",     "use",     "origin", "block",
                                           "status", "set_aside", "message", "seconds"};

/// absorbed[5], …
std::string axis_column(const Response& r, double point) {
  return fmt::format("{}[{}]", r.name, point);
}

struct Row {
  std::optional<std::int64_t> id;
  Settings settings;
  Outputs outputs;
  std::string aside;
  int line = 0;
};

class Importer {
 public:
  Importer(Session& session, const std::string& file, const ImportOptions& options)
      : session_(session), study_(session.study), file_(file), options_(options), table_(read_table(file)) {}

  ImportResult run() {
    match_columns();
    std::vector<Row> rows;
    for (const TableFile::Row& row : table_.rows) {
      try {
        rows.push_back(read(row));
      } catch (const Error& e) {
        refused_.push_back(fmt::format("line {}: {}: {}", row.line, e.problem(), e.remedy()));
      }
    }
    refuse();
    session_.store.transaction([&] {
      const std::vector<Run> runs = session_.store.runs();
      for (const Row& row : rows) store(row, runs);
      refuse();  // thrown inside the transaction: nothing stays
    });
    return result_;
  }

 private:
  void refuse() const {
    if (refused_.empty()) return;
    std::string text;
    for (std::size_t i = 0; i < refused_.size() && i < 20; ++i) text += "\n  " + refused_[i];
    if (refused_.size() > 20) text += fmt::format("\n  and {} more", refused_.size() - 20);
    throw Error(
        fmt::format("{} of {} rows are refused, nothing was imported", refused_.size(), table_.rows.size()),
        file_, "correct them and import again:" + text);
  }

  void match_columns() {
    for (const auto& [from, to] : options_.map)
      if (!table_.column(from))
        throw Error("there is no column " + from, file_,
                    "its columns are " + fmt::format("{}", fmt::join(table_.header, ", ")));
    for (std::size_t c = 0; c < table_.header.size(); ++c) {
      std::string title = table_.header[c];
      if (const auto mapped = options_.map.find(title); mapped != options_.map.end()) {
        title = mapped->second;
        if (std::find(study_.order.begin(), study_.order.end(), title) == study_.order.end() &&
            study_.response(title.substr(0, title.find('['))) < 0)
          throw Error("the study has no " + title, "--map", "map to a parameter or a response");
      }
      if (columns_.count(title)) throw Error("two columns mean " + title, file_, "leave one out");
      columns_[title] = c;
    }
    std::set<std::string> known(study_.order.begin(), study_.order.end());
    for (const Response& r : study_.responses) {
      known.insert(r.name);
      if (const Axis* axis = study_.axis_of(r))
        for (const double point : axis->points) known.insert(axis_column(r, point));
    }
    for (const auto& [title, c] : columns_)
      if (!known.count(title) && !bookkeeping.count(title)) result_.ignored_columns.push_back(title);
    if (!result_.ignored_columns.empty())
      add_note(result_.notes, "ignored_columns",
               fmt::format("not in the study and ignored: {}; use --map \"column=name\" for those that are",
                           fmt::join(result_.ignored_columns, ", ")));
    if (!columns_.count("id"))
      for (const Parameter& p : study_.space.parameters())
        if (!columns_.count(p.name) && !study_.before.count(p.name))
          throw Error("there is no column for the parameter " + p.name, file_,
                      fmt::format("add it, or map one: --map \"column={}\"", p.name));
  }

  std::string cell(const TableFile::Row& row, const std::string& title) const {
    const auto found = columns_.find(title);
    return found == columns_.end() ? "" : row.cells[found->second];
  }
  static double number(const std::string& text, const std::string& title) {
    const auto value = cell_number(text);
    if (!value || !std::isfinite(*value))
      throw Error(fmt::format("\"{}\" is no number", text), title,
                  fmt::format("give a number for {}", title));
    return *value;
  }

  Row read(const TableFile::Row& row) const {
    Row out;
    out.line = row.line;
    if (const std::string id = cell(row, "id"); !id.empty())
      out.id = static_cast<std::int64_t>(number(id, "id"));
    for (const Parameter& p : study_.space.parameters()) {
      const std::string text = cell(row, p.name);
      if (text.empty()) {
        if (out.id || study_.before.count(p.name)) continue;
        throw Error("there is no value for " + p.name, p.name, "fill it in");
      }
      out.settings[p.name] = p.is_choice() ? Value(text) : Value(number(text, p.name));
    }
    for (const FixedParameter& f : study_.fixed) {
      const std::string text = cell(row, f.name);
      if (text.empty())
        out.settings[f.name] = f.value;
      else
        out.settings[f.name] =
            std::holds_alternative<double>(f.value) ? Value(number(text, f.name)) : Value(text);
    }
    // Refuses values between levels and unknown choices; a row with a number may leave settings blank.
    study_.point(out.settings, out.id.has_value(), "row");
    for (const Response& r : study_.responses) {
      if (r.derive) continue;
      const Axis* axis = study_.axis_of(r);
      Output output;
      bool any = false;
      for (std::size_t k = 0; k < (axis ? axis->points.size() : 1); ++k) {
        const std::string title = axis ? axis_column(r, axis->points[k]) : r.name;
        const std::string text = cell(row, title);
        output.values.push_back(text.empty() ? std::numeric_limits<double>::quiet_NaN()
                                             : number(text, title));
        any = any || !text.empty();
      }
      if (axis) output.axis = axis->points;
      if (any) out.outputs[r.name] = output;
    }
    out.aside = cell(row, "set_aside");
    return out;
  }

  bool same_point(const Run& run, const Row& row) const {
    for (const Parameter& p : study_.space.parameters()) {
      const auto a = run.settings.find(p.name), b = row.settings.find(p.name);
      if (a == run.settings.end() || b == row.settings.end() || a->second.index() != b->second.index())
        return false;
      if (p.is_choice()
              ? a->second != b->second
              : std::abs(std::get<double>(a->second) - std::get<double>(b->second)) > 1e-9 * (p.high - p.low))
        return false;
    }
    return true;
  }

  static bool same_output(const Output& a, const Output& b) {
    return a.values.size() == b.values.size() &&
           std::equal(a.values.begin(), a.values.end(), b.values.begin(),
                      [](double u, double v) { return u == v || (std::isnan(u) && std::isnan(v)); });
  }
  /// The name of a response for which the run and the row differ; empty: none.
  static std::string conflict(const Run& run, const Row& row) {
    for (const auto& [response, output] : row.outputs)
      if (const auto own = run.responses.find(response);
          own != run.responses.end() && !same_output(own->second, output))
        return response;
    return "";
  }
  static bool brings_something(const Run& run, const Row& row) {
    return std::any_of(row.outputs.begin(), row.outputs.end(),
                       [&](const auto& entry) { return run.responses.count(entry.first) == 0; });
  }

  void store(const Row& row, const std::vector<Run>& runs) {
    const Run* match = nullptr;
    for (const Run& run : runs) {
      if (taken_.count(run.id)) continue;
      const bool same = row.id ? run.id == *row.id : run.status == RunStatus::planned && same_point(run, row);
      if (same) {
        match = &run;
        break;
      }
    }
    if (row.id && match && !row.settings.empty())
      for (const auto& [key, value] : row.settings)
        if (const auto own = match->settings.find(key);
            study_.space.find(key) && own != match->settings.end() && !(own->second == value)) {
          refused_.push_back(
              fmt::format("line {}: run {} has another {}: leave id empty to add it as a new run", row.line,
                          *row.id, key));
          return;
        }
    std::int64_t id = 0;
    if (match) {
      id = match->id;
      taken_.insert(id);
      if (const std::string response = conflict(*match, row); !response.empty()) {
        refused_.push_back(fmt::format(
            "line {}: run {} has another {} already: set it aside and leave id empty to add a repeat",
            row.line, id, response));
        return;
      }
      if (!brings_something(*match, row)) {
        ++result_.unchanged;
        return;
      }
      ++result_.filled;
    } else {
      if (row.id && std::any_of(runs.begin(), runs.end(), [&](const Run& r) { return r.id == *row.id; })) {
        refused_.push_back(fmt::format("line {}: run {} stands in the table twice", row.line, *row.id));
        return;
      }
      try {
        study_.point(row.settings, false, "row");
      } catch (const Error& e) {
        refused_.push_back(fmt::format("line {}: {}: {}", row.line, e.problem(), e.remedy()));
        return;
      }
      if (result_.batch.empty()) new_batch();
      Run run;
      run.origin = "imported";
      run.settings = row.settings;
      id = session_.store.add_run(result_.batch, run);
      ++(row.outputs.empty() ? result_.planned : result_.added);
    }
    if (!row.outputs.empty()) {
      session_.store.set_outputs(id, row.outputs);
      session_.store.set_status(id, RunStatus::done, "", 0, 0);
    }
    if (!row.aside.empty()) session_.store.set_aside(id, "", row.aside);
  }

  void new_batch() {
    result_.batch = options_.batch.empty() ? next_batch_name(session_.store, "imported") : options_.batch;
    if (!session_.store.batch(result_.batch))
      session_.store.add_batch(
          {0, result_.batch, options_.use, "imported", {{"file", file_}}, study_.seed, 0}, {});
  }

  Session& session_;
  const Study& study_;
  std::string file_;
  const ImportOptions& options_;
  TableFile table_;
  std::map<std::string, std::size_t> columns_;
  std::vector<std::string> refused_;
  std::set<std::int64_t> taken_;
  ImportResult result_;
};

std::string text_of(const Value& value) {
  if (const auto* number = std::get_if<double>(&value)) return fmt::format("{}", *number);
  return csv_cell(std::get<std::string>(value));
}

}  // namespace

ImportResult import_table(Session& session, const std::string& file, const ImportOptions& options) {
  return Importer(session, file, options).run();
}

std::string export_runs(const Study& study, const std::vector<Run>& runs) {
  std::string out = "id,batch,use,origin,block,status";
  for (const std::string& name : study.order) out += ',' + name;
  for (const Response& r : study.responses) {
    if (r.derive) continue;
    const Axis* axis = study.axis_of(r);
    if (!axis)
      out += ',' + r.name;
    else
      for (const double point : axis->points) out += ',' + axis_column(r, point);
  }
  out += ",set_aside\n";
  for (const Run& run : runs) {
    out += fmt::format("{},{},{},{},{},{}", run.id, csv_cell(run.batch), run.use, run.origin, run.block,
                       name(run.status));
    for (const std::string& key : study.order) {
      const auto found = run.settings.find(key);
      out += ',' + (found == run.settings.end() ? "" : text_of(found->second));
    }
    for (const Response& r : study.responses) {
      if (r.derive) continue;
      const auto found = run.responses.find(r.name);
      const std::vector<double> y =
          found == run.responses.end()
              ? std::vector<double>(r.axis < 0 ? 1 : study.axes[r.axis].points.size(), NAN)
              : on_axis(study, r, found->second);
      for (const double v : y) out += std::isfinite(v) ? fmt::format(",{}", v) : ",";
    }
    out += ',' + (run.set_aside ? csv_cell(*run.set_aside) : "") + '\n';
  }
  return out;
}

}  // namespace renth
