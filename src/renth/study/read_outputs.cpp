// [solver] output: where each response stands in what the solver wrote.
#include <nlohmann/json.hpp>
#include <renth/study/pattern.hpp>
#include <renth/study/toml_reader.hpp>

namespace renth {
namespace {

using Form = OutputSource::Form;
using Take = OutputSource::Take;

constexpr const char* example =
    "write { json = \"/power\" }, { csv = \"Power\" }, { table = 2 }, { pattern = \"P *= *([-0-9.eE+]+)\" } "
    "or { number = "
    "\"power.txt\" }";

/// A column: its title, or its number from 1.
std::string column(TableReader& table, const std::string& key) {
  const toml::node* node = table.find(key);
  if (!node) return "";
  if (node->is_integer()) {
    const auto number = table.whole<int>(key, 1);
    return number ? std::to_string(*number) : "";
  }
  if (node->is_string() && !node->as_string()->get().empty()) return std::string(node->as_string()->get());
  table.problem(key, "must be a column", fmt::format("write its title, or {} = 2", key));
  return "";
}

void check_pointer(TableReader& table, const std::string& key, const std::string& pointer) {
  try {
    nlohmann::json::json_pointer{pointer};
  } catch (const nlohmann::json::exception&) {
    table.problem(key, fmt::format("\"{}\" is not a JSON pointer", pointer),
                  "begin every step with /: \"/results/0/power\"");
  }
}

void check_pattern(TableReader& table, OutputSource& s, bool curve) {
  try {
    const int groups = Pattern(s.what).groups();
    if (groups != 1 && !(curve && groups == 2))
      table.problem("pattern",
                    curve ? "must have one group in brackets, or two" : "must have one group in brackets",
                    curve ? "put ( ) round the value, or round the axis value and the value"
                          : "put ( ) round the number");
    if (groups == 2) s.over = "1";
  } catch (const Error& e) {
    table.problem("pattern", e.problem() + (e.place().empty() ? "" : " (" + e.place() + ")"), e.remedy());
  }
}

/// A file that a solver writes lies in its run's folder: one that lay elsewhere would be of any run.
void check_in_folder(TableReader& table, const std::string& key, const std::string& file) {
  if (file.empty()) return;
  const std::filesystem::path path = std::filesystem::path(file).lexically_normal();
  if (path.is_absolute() || path.begin()->string() == ".." || path == "." || !path.has_filename())
    table.problem(key, fmt::format("\"{}\" is not a file in the run's folder", file),
                  "name a file that the solver writes there, such as \"results/power.txt\"");
}

/// take, row and at, of which at most one may stand there.
void read_take(TableReader& table, OutputSource& s, bool curve) {
  static const std::map<std::string, Take> takes = {{"last", Take::last},
                                                    {"first", Take::first},
                                                    {"max", Take::max},
                                                    {"min", Take::min},
                                                    {"mean", Take::mean}};
  const bool many = s.form == Form::csv || s.form == Form::table || s.form == Form::pattern;
  const int given = table.has("take") + table.has("row") + table.has("at");
  if (given > 1) table.problem("", "take, row and at exclude one another", "keep one");
  if (given > 0 && (curve || !many))
    table.problem("", curve ? "a curve takes all rows" : "there is nothing to choose from",
                  "remove take, row and at");
  if (const auto take = table.text("take")) {
    if (const auto found = takes.find(*take); found != takes.end())
      s.take = found->second;
    else
      table.problem("take", fmt::format("\"{}\" is not known", *take), "use last, first, max, min or mean");
  }
  if (table.find("row")) {
    s.take = Take::row;
    if (const auto row = table.whole<int>("row", -std::numeric_limits<int>::max()); row && *row != 0)
      s.row = *row;
    else if (row)
      table.problem("row", "must be a whole number other than 0",
                    "write row = 3, or -2 for the last but one");
  }
  if (const toml::node* at = table.find("at")) {
    s.take = Take::at;
    const toml::table* one = at->as_table();
    if (one && one->size() == 1 && one->begin()->second.is_number() && s.form != Form::pattern) {
      s.at_column = std::string(one->begin()->first.str());
      s.at_value = *one->begin()->second.value<double>();
    } else {
      table.problem("at", "must name one column and its value",
                    "write at = { time = 20.0 }, in a csv or table");
    }
  }
}

OutputSource read_source(TableReader& table, const Response& r) {
  const bool curve = r.axis >= 0;
  OutputSource s;
  static const std::pair<const char*, Form> forms[] = {{"json", Form::json},
                                                       {"csv", Form::csv},
                                                       {"table", Form::table},
                                                       {"pattern", Form::pattern},
                                                       {"number", Form::number}};
  int given = 0;
  for (const auto& [key, form] : forms)
    if (table.has(key)) ++given, s.form = form;
  if (given != 1) table.problem("", given ? "has more than one source" : "has no source", example);
  // Every key is asked for, so that those of other forms are told from unknown ones.
  const auto json = table.text("json"), csv = table.text("csv"), pattern = table.text("pattern"),
             number = table.text("number");
  const std::string in_table = column(table, "table");
  s.file = table.text("file").value_or("");
  switch (s.form) {
    case Form::json:
      s.what = json.value_or("");
      if (json) check_pointer(table, "json", s.what);
      break;
    case Form::csv:
      s.what = csv.value_or("");
      break;
    case Form::table:
      s.what = in_table;
      break;
    case Form::pattern:
      s.what = pattern.value_or("");
      if (pattern) check_pattern(table, s, curve);
      break;
    case Form::number:
      if (table.has("file")) table.problem("file", "stands beside number, which names the file", "remove it");
      if (curve) table.problem("number", "one number is not a curve", "use csv, table, json or pattern");
      s.file = number.value_or("");
  }
  if (table.has("over")) {
    s.over = column(table, "over");
    if (!curve)
      table.problem("over", "is for curves", fmt::format("remove it, or give {} an axis: along = …", r.name));
    if (s.form == Form::pattern || s.form == Form::number)
      table.problem("over", "is for json, csv and table",
                    "give the pattern two groups: (axis value) and (value)");
    if (s.form == Form::json) check_pointer(table, "over", s.over);
  }
  if (const auto skip = table.whole<int>("skip", 0)) {
    s.skip = *skip;
    if (s.form != Form::table && s.form != Form::csv)
      table.problem("skip", "is for csv and table", "remove it");
  }
  read_take(table, s, curve);
  check_in_folder(table, s.form == Form::number ? "number" : "file", s.file);
  table.finish();
  return s;
}

}  // namespace

void read_outputs(TableReader& solver, Study& study, Faults& problems) {
  SolverSpec& spec = study.solver;
  const toml::node* node = solver.find("output");
  const auto file = solver.text("output_file");
  check_in_folder(solver, "output_file", file.value_or(""));
  // What is printed may be read as the output.
  if (file && is_kept_by_us(*file) && *file != "stdout" && *file != "stderr")
    solver.problem("output_file", fmt::format("a run's folder has its own file {}", *file),
                   "let the solver write another file");
  const auto set_file = [&](const char* usual) { spec.output_file = file.value_or(usual); };
  if (!node) {
    if (spec.kind == SolverSpec::Kind::process || spec.kind == SolverSpec::Kind::slurm)
      solver.problem("", "there is no output", "write output = \"json\", \"csv\" or a source a response");
    return;
  }
  const std::string word = node->is_string() ? std::string(node->as_string()->get()) : "";
  if (word == "json" || word == "csv") {
    set_file(word == "json" ? "output.json" : "output.csv");
    for (const Response& r : study.responses) {
      if (r.derive) continue;
      OutputSource s;
      s.form = word == "json" ? Form::json : Form::csv;
      s.what = word == "json" ? "/" + r.name : r.name;
      spec.sources[r.name] = s;
    }
    return;
  }
  const toml::table* sources = node->as_table();
  if (!sources)
    return solver.problem("output", "must be \"json\", \"csv\" or a source a response",
                          "write output = \"json\"");
  set_file("output.txt");
  for (const auto& [key, item] : *sources) {
    const std::string name(key.str()), path = "solver.output." + name;
    const int index = study.response(name);
    if (index < 0) {
      report(problems, &item, path, "unknown response " + name, instead_of(name, study.response_names()));
      continue;
    }
    const Response& r = study.responses[index];
    if (r.derive) {
      report(problems, &item, path, name + " is derived, not read", "remove its source, or its derive");
      continue;
    }
    const toml::table* entry = item.as_table();
    if (!entry) {
      report(problems, &item, path, "must be a table", example);
      continue;
    }
    TableReader table(*entry, path, problems);
    // With one call an axis point, what a call writes of a curve is a number.
    Response as_read = r;
    if (spec.per >= 0 && r.axis == spec.per) as_read.axis = -1;
    spec.sources[name] = read_source(table, as_read);
  }
  for (const Response& r : study.responses)
    if (!r.derive && !sources->contains(r.name))
      report(problems, sources, "solver.output", "no source for the response " + r.name,
             "add one for it, or derive it");
}

}  // namespace renth
