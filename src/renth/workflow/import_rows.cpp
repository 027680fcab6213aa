#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/base/names.hpp>
#include <renth/base/text.hpp>
#include <renth/table/sheets.hpp>
#include <renth/table/units.hpp>
#include <renth/workflow/import_rows.hpp>
#include <set>

namespace renth {

const std::set<std::string> bookkeeping = {
    "id",     "batch",     "use",     "origin",  "block",
    "status", "set_aside", "message", "seconds", "responses_set_aside"};

namespace {

/// The document of `runs --json` as a table.
std::string as_text(const nlohmann::json& v) {
  if (v.is_null()) return std::string();
  if (v.is_number_float()) return fmt::format("{}", v.get<double>());
  return v.is_string() ? v.get<std::string>() : v.dump();
}

/// A column a response; of a curve one an axis point.
void add_responses(const Study& study, const nlohmann::json& responses, std::size_t number,
                   const std::string& file, std::map<std::string, std::string>& row) {
  for (const auto& [key, value] : responses.items()) {
    const int index = study.response(key);
    const Axis* axis = index < 0 ? nullptr : study.axis_of(study.responses[index]);
    if (!value.is_array()) {
      row[key] = as_text(value);
    } else if (axis && value.size() == axis->points.size()) {
      for (std::size_t k = 0; k < value.size(); ++k)
        row[axis_column(study.responses[index], axis->points[k])] = as_text(value[k]);
    } else {
      throw Error(fmt::format("{} of run {} of the file has {} values", key, number, value.size()), file,
                  axis ? fmt::format("its axis has {} points", axis->points.size())
                       : "it is not a curve of the study");
    }
  }
}

TableFile table_of_json(const Study& study, const std::string& text, const std::string& file) {
  const bool deep = nested_deeper(text, most_nested_json);
  const nlohmann::json document = deep ? nlohmann::json() : nlohmann::json::parse(text, nullptr, false);
  if (document.is_discarded() || !document.is_object() || !document.contains("runs") ||
      !document["runs"].is_array())
    throw Error(
        "the file is not JSON of runs", file,
        "give it {\"runs\": [{\"point\": {…}, \"responses\": {…}}]}, as renth runs --export writes it");
  std::vector<std::map<std::string, std::string>> rows;
  std::set<std::string> titles;
  for (const auto& run : document["runs"]) {
    std::map<std::string, std::string>& row = rows.emplace_back();
    if (!run.is_object())
      throw Error(fmt::format("run {} of the file is not an object", rows.size()), file,
                  "give it \"point\" and \"responses\"");
    for (const std::string& key : bookkeeping)
      if (run.contains(key)) row[key] = as_text(run[key]);
    // Set aside for single responses, it is an object of reasons.
    if (run.contains("set_aside") && run["set_aside"].is_object()) {
      row["responses_set_aside"] = run["set_aside"].dump();
      row["set_aside"].clear();
    }
    if (run.contains("point"))
      for (const auto& [key, value] : run["point"].items()) row[key] = as_text(value);
    if (run.contains("responses")) add_responses(study, run["responses"], rows.size(), file, row);
    for (const auto& [key, value] : row) titles.insert(key);
  }
  TableFile out;
  out.header.assign(titles.begin(), titles.end());
  for (std::size_t i = 0; i < rows.size(); ++i) {
    TableFile::Row row{static_cast<int>(i) + 1, {}};
    for (const std::string& title : out.header) row.cells.push_back(rows[i][title]);
    out.rows.push_back(std::move(row));
  }
  return out;
}

class Reader {
 public:
  Reader(const Study& study, const std::string& file, const ImportOptions& options)
      : study_(study), file_(file), options_(options) {
    if (is_spreadsheet(file) || !options.sheet.empty()) {
      table_ = read_table(file, options.sheet);
      if (!table_.other_sheets.empty())
        add_note(out_.notes, "other_sheets",
                 "other sheets of the file were not read: " + listed(table_.other_sheets) +
                     " (--sheet NAME reads one)");
      return;
    }
    const std::string all = read_table_text(file);
    const std::size_t first = all.find_first_not_of(" \t\r\n");
    table_ = first != std::string::npos && all[first] == '{' ? table_of_json(study, all, file)
                                                             : parse_table(all, file);
  }

  ImportRows run() {
    know_names();
    match_columns();
    take_units();
    for (const TableFile::Row& row : table_.rows) {
      try {
        out_.rows.push_back(read(row));
      } catch (const Error& e) {
        out_.refused.emplace_back(row.line, fmt::format("{}: {}", e.problem(), e.remedy()));
      }
    }
    return std::move(out_);
  }

 private:
  void know_names() {
    for (const Parameter& p : study_.space.parameters()) units_[p.name] = p.unit;
    for (const FixedParameter& f : study_.fixed) units_[f.name] = f.unit;
    for (const Response& r : study_.responses) {
      units_[r.name] = r.unit;
      if (const Axis* axis = study_.axis_of(r))
        for (const double point : axis->points) units_[axis_column(r, point)] = r.unit;
    }
  }

  void check_unit(const std::string& name, const std::string& unit, const std::string& title) {
    if (!options_.ignore_units)
      renth::check_unit(name, unit, units_.at(name), fmt::format("{}: column {}", file_, title),
                        ", or say --ignore-units if only the name of the unit differs");
  }

  void match_columns() {
    for (const auto& [from, to] : options_.map) {
      if (!table_.column(from))
        throw Error("there is no column " + from, file_,
                    "its columns are " + fmt::format("{}", fmt::join(table_.header, ", ")));
      if (units_.count(to) == 0 && bookkeeping.count(to) == 0)
        throw Error("the study has no " + to, "--map",
                    "map to a parameter, a response, or a point of a curve such as absorbed[5]");
    }
    std::vector<std::string> ignored;
    for (std::size_t c = 0; c < table_.header.size(); ++c) {
      const std::string& title = table_.header[c];
      std::string name = title;
      if (const auto mapped = options_.map.find(title); mapped != options_.map.end()) {
        name = mapped->second;
      } else if (units_.count(title) == 0 && bookkeeping.count(title) == 0) {
        const auto [stripped, unit] = name_and_unit(title);
        if (units_.count(stripped) == 0) {
          ignored.push_back(title);
          continue;
        }
        check_unit(stripped, unit, title);
        name = stripped;
      }
      if (columns_.count(name)) throw Error("two columns mean " + name, file_, "leave one out");
      columns_[name] = c;
    }
    if (!ignored.empty())
      add_note(out_.notes, "ignored_columns",
               fmt::format("not in the study and ignored: {}; use --map \"column=name\" for those that are",
                           fmt::join(ignored, ", ")));
    if (columns_.count("id") > 0) return;
    for (const Parameter& p : study_.space.parameters())
      if (!columns_.count(p.name) && !study_.before.count(p.name))
        throw Error("there is no column for the parameter " + p.name, file_,
                    fmt::format("add it, or map one: --map \"column={}\"", p.name));
  }

  /// A row right under the header with no number where numbers belong.
  void take_units() {
    std::vector<std::size_t> numbers;
    for (const auto& [name, c] : columns_) {
      const auto p = study_.space.find(name);
      const bool choice = p && study_.space[*p].is_choice();
      if (!choice && units_.count(name) > 0) numbers.push_back(c);
      // A choice's name there makes it a run.
      if (choice && !table_.rows.empty() && is_own_word(name, table_.rows.front().cells[c])) return;
    }
    if (!has_units_row(table_, numbers)) return;
    const int line = table_.rows.front().line;
    const std::vector<std::string> units = take_units_row(table_);
    for (const auto& [name, c] : columns_)
      if (units_.count(name) > 0) check_unit(name, units[c], table_.header[c]);
    add_note(out_.notes, "units_row", fmt::format("line {} was read as units", line));
  }

  std::string cell(const TableFile::Row& row, const std::string& title) const {
    const auto found = columns_.find(title);
    if (found == columns_.end()) return "";
    const std::string& text = row.cells[found->second];
    return is_missing(text) && !is_own_word(title, text) ? "" : text;
  }
  /// A choice may be called None, and a message "-": what the study means by it counts.
  bool is_own_word(const std::string& title, const std::string& text) const {
    if (const auto p = study_.space.find(title)) {
      const std::vector<std::string>& choices = study_.space[*p].choices;
      return std::find(choices.begin(), choices.end(), text) != choices.end();
    }
    for (const FixedParameter& f : study_.fixed)
      if (f.name == title) return f.value == Value(text);
    return title == "message" || title == "batch";
  }
  static double number(const std::string& text, const std::string& title) {
    const auto value = cell_number(text);
    if (value && std::isfinite(*value)) return *value;
    throw Error(fmt::format("{1} must be a number, not \"{0}\"", text, title), title,
                text.find(',') != std::string::npos
                    ? "write it with a decimal point and without marks for thousands"
                    : "give a number, or leave it blank");
  }

  /// The same, whole and not too large to be counted.
  static std::int64_t whole_number(const std::string& text, const std::string& title) {
    const double value = number(text, title);
    if (value != std::floor(value) || std::abs(value) > 1e9)
      throw Error(fmt::format("\"{}\" is not a whole number up to a thousand million", text), title,
                  "leave it as it was exported, or leave the column out");
    return static_cast<std::int64_t>(value);
  }

  ImportRow read(const TableFile::Row& row) const {
    ImportRow out;
    out.line = row.line;
    if (const std::string id = cell(row, "id"); !id.empty()) out.id = whole_number(id, "id");
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
    out.id ? study_.point(out.settings, "row") : study_.point_of_run(out.settings, "row");
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
    read_bookkeeping(row, out);
    return out;
  }

  void read_bookkeeping(const TableFile::Row& row, ImportRow& out) const {
    out.batch = cell(row, "batch");
    out.use = cell(row, "use");
    if (!out.use.empty() && !is_use(out.use))
      throw Error(fmt::format("unknown use \"{}\"", out.use), "use", "write fit, check or confirm");
    out.origin = cell(row, "origin");
    if (const std::string block = cell(row, "block"); !block.empty())
      out.block = static_cast<int>(whole_number(block, "block"));
    out.failed = cell(row, "status") == "failed";
    out.aside = cell(row, "set_aside");
    out.message = cell(row, "message");
    if (const std::string seconds = cell(row, "seconds"); !seconds.empty())
      out.seconds = number(seconds, "seconds");
    if (const std::string reasons = cell(row, "responses_set_aside"); !reasons.empty()) {
      const nlohmann::json document = nlohmann::json::parse(reasons, nullptr, false);
      if (!document.is_object())
        throw Error("responses_set_aside is not a JSON object", "responses_set_aside",
                    "leave it as it was exported");
      for (const auto& [response, why] : document.items())
        if (why.is_string()) out.response_aside[response] = why.get<std::string>();
    }
  }

  const Study& study_;
  std::string file_;
  const ImportOptions& options_;
  TableFile table_;
  std::map<std::string, std::string> units_;  // of every name that a column can have
  std::map<std::string, std::size_t> columns_;
  ImportRows out_;
};

}  // namespace

std::string axis_column(const Response& r, double point) {
  return fmt::format("{}[{}]", r.name, point);
}

ImportRows read_import_rows(const Study& study, const std::string& file, const ImportOptions& options) {
  return Reader(study, file, options).run();
}

}  // namespace renth
