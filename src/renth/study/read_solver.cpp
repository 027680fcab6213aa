#include <algorithm>
#include <regex>
#include <renth/study/toml_reader.hpp>

namespace renth {
namespace {

/// "10 min", "90 s", "2 h", or a number of seconds.
std::optional<double> duration(const toml::node& node) {
  if (const auto number = node.is_number() ? node.value<double>() : std::nullopt)
    return *number > 0 ? number : std::nullopt;
  if (!node.is_string()) return std::nullopt;
  static const std::regex form(R"(\s*([0-9]*\.?[0-9]+)\s*(ms|s|sec|min|h|d)\s*)");
  std::smatch match;
  const std::string text(node.as_string()->get());
  if (!std::regex_match(text, match, form)) return std::nullopt;
  const std::string unit = match[2];
  const double scale = unit == "ms"    ? 1e-3
                       : unit == "min" ? 60
                       : unit == "h"   ? 3600
                       : unit == "d"   ? 86400
                                       : 1;
  const double value = std::stod(match[1]) * scale;
  return value > 0 ? std::optional(value) : std::nullopt;
}

void read_patterns(const toml::table& output, Study& study, Problems& problems) {
  study.solver.output = SolverSpec::Output::pattern;
  for (const auto& [key, node] : output) {
    const std::string name(key.str()), path = "solver.output." + name;
    if (study.response(name) < 0) {
      report(problems, &node, path, "no response is called " + name, "name a response of the study");
      continue;
    }
    const toml::table* entry = node.as_table();
    if (!entry) {
      report(problems, &node, path, "must be a table", "write { pattern = \"P *= *([-0-9.eE+]+)\" }");
      continue;
    }
    TableReader table(*entry, path, problems);
    const auto pattern = table.text("pattern");
    if (!table.has("pattern"))
      table.problem("", "there is no pattern", "write { pattern = \"P *= *([-0-9.eE+]+)\" }");
    table.finish();
    if (!pattern) continue;
    try {
      if (std::regex(*pattern).mark_count() != 1)
        table.problem("pattern", "must have one group in brackets", "put ( ) round the number");
    } catch (const std::regex_error&) {
      table.problem("pattern", "is no regular expression", "check its brackets");
    }
    study.solver.patterns[name] = *pattern;
  }
  for (const Response& r : study.responses)
    if (!r.derive && !study.solver.patterns.count(r.name))
      report(problems, &output, "solver.output", "no source for the response " + r.name,
             "add a pattern for it, or derive it");
}

void read_formulas(TableReader& solver, Study& study, Problems& problems) {
  const toml::node* node = solver.find("formula");
  const toml::table* formulas = node ? node->as_table() : nullptr;
  if (!formulas)
    return solver.problem("formula", "kind = \"formula\" needs [solver.formula]",
                          "give one expression a response");
  for (const auto& [key, item] : *formulas) {
    const std::string name(key.str()), path = "solver.formula." + name;
    const int index = study.response(name);
    if (index < 0) {
      report(problems, &item, path, "no response is called " + name, "name a response of the study");
      continue;
    }
    if (!item.is_string()) {
      report(problems, &item, path, "must be a text in quotes", "write an expression");
      continue;
    }
    std::vector<Symbol> symbols = study.parameter_symbols();
    // A curve is a formula of its axis' name too.
    if (const Axis* axis = study.axis_of(study.responses[index]))
      symbols.push_back({axis->name, Symbol::Kind::number, {}, {}});
    try {
      auto e = std::make_shared<const Expression>(item.as_string()->get(), symbols, path);
      if (e->is_condition())
        report(problems, &item, path, "a condition where a number is needed", "write  condition ? a : b");
      study.solver.formulas[name] = e;
    } catch (const Error& e) {
      report(problems, &item, path, e.problem() + " (" + e.place() + ")", e.remedy());
    }
  }
  for (const Response& r : study.responses)
    if (!r.derive && !formulas->contains(r.name))
      report(problems, formulas, "solver.formula", "no source for the response " + r.name,
             "add an expression for it, or derive it");
}

}  // namespace

void read_solver(const toml::table& root, Study& study, Problems& problems) {
  const toml::node* node = root.get("solver");
  if (!node) return;  // manual: a table can be imported
  if (!node->is_table()) return report(problems, node, "solver", "must be a table", "write [solver]");
  TableReader table(*node->as_table(), "solver", problems);
  SolverSpec& s = study.solver;
  using Kind = SolverSpec::Kind;
  const std::string kind = table.text("kind").value_or("");
  if (kind == "process")
    s.kind = Kind::process;
  else if (kind == "formula")
    s.kind = Kind::formula;
  else if (kind == "manual")
    s.kind = Kind::manual;
  else if (kind == "slurm")
    s.kind = Kind::slurm;
  else
    table.problem(
        table.has("kind") ? "kind" : "",
        table.has("kind") ? fmt::format("no solver kind is called \"{}\"", kind) : "there is no kind",
        "use process, formula, manual or slurm");

  const bool runs_commands = s.kind == Kind::process || s.kind == Kind::slurm;
  s.command = table.texts("command").value_or(std::vector<std::string>{});
  if (runs_commands && !table.has("command"))
    table.problem("", "there is no command", "write command = [\"program\", \"{input}\", \"{output}\"]");
  static const std::regex placeholder(R"(\{([a-z_]*)\})");
  for (const std::string& word : s.command)
    for (std::sregex_iterator it(word.begin(), word.end(), placeholder), end; it != end; ++it)
      if ((*it)[1] != "input" && (*it)[1] != "output" && (*it)[1] != "run")
        table.problem("command", "unknown placeholder " + it->str(), "use {input}, {output} or {run}");
  s.input = table.text("input").value_or("");
  if (!s.input.empty() && !std::filesystem::exists(study.folder / s.input))
    table.problem("input", fmt::format("there is no file {}", (study.folder / s.input).string()),
                  "make it, with {{radius}} where a value goes");
  if (const toml::node* output = table.find("output")) {
    const std::string word = output->is_string() ? std::string(output->as_string()->get()) : "";
    if (word == "json")
      s.output = SolverSpec::Output::json;
    else if (word == "csv")
      s.output = SolverSpec::Output::csv;
    else if (const toml::table* patterns = output->as_table())
      read_patterns(*patterns, study, problems);
    else
      table.problem("output", "must be \"json\", \"csv\" or a pattern a response", "write output = \"json\"");
  } else if (runs_commands) {
    table.problem("", "there is no output", "write output = \"json\", \"csv\" or a pattern a response");
  }
  if (const auto per = table.text("per")) {
    for (std::size_t a = 0; a < study.axes.size(); ++a)
      if (study.axes[a].name == *per) s.per = static_cast<int>(a);
    if (s.per < 0)
      table.problem("per", fmt::format("no axis is called \"{}\"", *per), "name an axis of the study");
  }
  s.repeatable = table.flag("repeatable").value_or(true);
  if (const toml::node* timeout = table.find("timeout")) {
    const auto seconds = duration(*timeout);
    if (!seconds)
      table.problem("timeout", "is no time above 0", "write \"10 min\", \"90 s\" or a number of seconds");
    s.timeout = seconds.value_or(0);
  }
  s.retries = static_cast<int>(table.whole("retries", 0).value_or(0));
  s.jobs = static_cast<int>(table.whole("jobs", 1).value_or(1));
  table.find("formula");
  if (s.kind == Kind::formula)
    read_formulas(table, study, problems);
  else if (table.has("formula"))
    table.problem("formula", "stands beside another kind of solver",
                  "write kind = \"formula\", or remove it");
  table.finish();
}

}  // namespace renth
