#include <algorithm>
#include <charconv>
#include <renth/base/text.hpp>
#include <renth/study/toml_reader.hpp>

namespace renth {

void read_outputs(TableReader& solver, Study& study, Faults& problems);

namespace {

/// A number with one of these units, "10 min"; a bare number counts as `bare`. Above 0.
std::optional<double> quantity(const toml::node& node, const std::map<std::string, double>& units) {
  if (const auto number = node.is_number() ? node.value<double>() : std::nullopt)
    return *number > 0 && std::isfinite(*number) ? number : std::nullopt;
  if (!node.is_string()) return std::nullopt;
  std::string_view text = node.as_string()->get();
  const auto skip_blanks = [&] { text.remove_prefix(std::min(text.find_first_not_of(" \t"), text.size())); };
  skip_blanks();
  double number = 0;
  const auto [end, error] =
      std::from_chars(text.data(), text.data() + text.size(), number, std::chars_format::fixed);
  if (error != std::errc()) return std::nullopt;
  text.remove_prefix(static_cast<std::size_t>(end - text.data()));
  skip_blanks();
  text.remove_suffix(text.size() - std::min(text.find_last_not_of(" \t") + 1, text.size()));
  const auto unit = units.find(std::string(text));
  if (unit == units.end()) return std::nullopt;
  const double value = number * unit->second;
  return value > 0 && std::isfinite(value) ? std::optional(value) : std::nullopt;
}

/// What a text said, before what is wrong with it.
std::string written(const toml::node& node) {
  return node.is_string() ? fmt::format("\"{}\" ", shortened(node.as_string()->get(), 40)) : "";
}

double duration(TableReader& table, const std::string& key) {
  static const std::map<std::string, double> units = {{"ms", 1e-3}, {"s", 1},    {"sec", 1},
                                                      {"min", 60},  {"h", 3600}, {"d", 86400}};
  const toml::node* node = table.find(key);
  if (!node) return 0;
  const auto seconds = quantity(*node, units);
  if (!seconds)
    table.problem(key, written(*node) + "is not a time above 0",
                  "write \"10 min\", \"90 s\" or a number of seconds");
  return seconds.value_or(0);
}

std::uint64_t size_in_bytes(TableReader& table, const std::string& key) {
  static const std::map<std::string, double> units = {{"kB", 1e3},   {"MB", 1e6},     {"GB", 1e9},
                                                      {"KiB", 1024}, {"MiB", 0x1p20}, {"GiB", 0x1p30}};
  const toml::node* node = table.find(key);
  if (!node) return 0;
  const auto bytes = quantity(*node, units);
  if (!bytes || *bytes > 0x1p62)
    table.problem(key, "is not a size above 0", "write \"4 GB\", \"500 MB\" or a number of bytes");
  return static_cast<std::uint64_t>(bytes.value_or(0));
}

/// input = "case.in.template", or a list of such; the ending .template goes in the run's folder.
void read_inputs(TableReader& table, Study& study) {
  const auto exists = [&](const std::string& key, const std::string& name) {
    if (!std::filesystem::exists(study.folder / name))
      table.problem(key, fmt::format("there is no file {}", (study.folder / name).string()),
                    key == "input" ? "make it, with {{radius}} where a value goes" : "put it there");
  };
  std::vector<InputFile>& inputs = study.solver.inputs;
  const toml::node* node = table.find("input");
  if (node && node->is_string() && node->as_string()->get().empty()) node = nullptr;
  if (node) {
    inputs.clear();
    for (const std::string& name : node->is_string()
                                       ? std::vector<std::string>{std::string(node->as_string()->get())}
                                       : table.texts("input").value_or(std::vector<std::string>{})) {
      std::filesystem::path to = std::filesystem::path(name).filename();
      if (to.extension() == ".template") to = to.stem();
      inputs.push_back({name, to.string(), false});
      exists("input", name);
    }
    if (inputs.empty()) inputs = {{"", "input.json", false}};  // told above
  }
  for (const std::string& name : table.texts("links").value_or(std::vector<std::string>{})) {
    inputs.push_back({name, std::filesystem::path(name).filename().string(), true});
    exists("links", name);
  }
  for (const InputFile& input : inputs)
    if (input.to.empty() || input.to == "." || input.to == ".." || is_kept_by_us(input.to))
      table.problem(input.link ? "links" : "input",
                    input.to.empty() || input.to[0] == '.'
                        ? fmt::format("\"{}\" names no file", input.from)
                        : fmt::format("a run's folder has its own file {}", input.to),
                    "name a file, and one that is not called so");
  for (std::size_t i = 0; i < inputs.size(); ++i)
    for (std::size_t j = 0; j < i; ++j)
      if (inputs[i].to == inputs[j].to)
        table.problem(inputs[i].link ? "links" : "input",
                      fmt::format("two files are called {} in a run's folder", inputs[i].to), "rename one");
}

void read_environment(TableReader& solver, Study& study, Faults& problems) {
  const toml::node* node = solver.find("env");
  if (!node) return;
  const toml::table* table = node->as_table();
  if (!table) return solver.problem("env", "must be a table", "write [solver.env] with NAME = \"value\"");
  for (const auto& [key, item] : *table) {
    const std::string name(key.str());
    if (name.find('=') != std::string::npos || name.empty())
      report(problems, &item, "solver.env." + name, "is not a name of a variable", "leave out the =");
    if (item.is_string())
      study.solver.environment[name] = std::string(item.as_string()->get());
    else if (item.is_integer())
      study.solver.environment[name] = std::to_string(item.as_integer()->get());
    else
      report(problems, &item, "solver.env." + name, "must be a text or a whole number",
             fmt::format("write {} = \"…\"", name));
  }
}

/// Minutes, minutes:seconds, hours:minutes:seconds, days-hours, days-hours:minutes,
/// days-hours:minutes:seconds.
bool is_slurm_time(std::string_view text) {
  const std::size_t dash = text.find('-');
  const bool days = dash != std::string_view::npos;
  std::string_view rest = text;
  const auto digits = [&](char after) {
    const std::size_t end = std::min(rest.find(after), rest.size());
    const std::string_view number = rest.substr(0, end);
    rest.remove_prefix(std::min(end + 1, rest.size()));
    return !number.empty() && number.find_first_not_of("0123456789") == std::string_view::npos;
  };
  const auto colons = std::count(text.begin(), text.end(), ':');
  if (colons > 2 || text.back() == ':' || text.back() == '-') return false;
  if (days && !digits('-')) return false;
  for (long part = 0; part <= colons; ++part)
    if (!digits(':')) return false;
  return true;
}

void read_slurm(TableReader& solver, Study& study, Faults& problems) {
  const toml::node* node = solver.find("slurm");
  if (!node) return;
  if (study.solver.kind != SolverSpec::Kind::slurm)
    return solver.problem("slurm", "stands beside another kind of solver",
                          "write kind = \"slurm\", or remove it");
  const toml::table* entry = node->as_table();
  if (!entry) return solver.problem("slurm", "must be a table", "write [solver.slurm]");
  TableReader table(*entry, "solver.slurm", problems);
  SlurmSpec& s = study.solver.slurm;
  s.chunk = table.whole<int>("chunk", 1).value_or(1);
  s.partition = table.text("partition").value_or("");
  s.time = table.text("time").value_or("");
  if (!s.time.empty() && !is_slurm_time(s.time))
    table.problem("time", "is not a time limit of Slurm",
                  "write minutes, \"hours:minutes:seconds\" or \"days-hours\"");
  s.options = table.texts("options").value_or(std::vector<std::string>{});
  for (const std::string& word : s.options)
    for (const char* own : {"--array", "-a", "--job-name", "-J", "--output", "-o", "--error", "-e", "--chdir",
                            "-D", "--parsable", "--wait", "-W"})
      if (word == own || word.rfind(std::string(own) + "=", 0) == 0)
        table.problem("options", fmt::format("{} is set by renth", own), "leave it out");
  table.finish();
}

void read_formulas(TableReader& solver, Study& study, Faults& problems) {
  const toml::node* node = solver.find("formula");
  const toml::table* formulas = node ? node->as_table() : nullptr;
  if (!formulas)
    return solver.problem("formula", "kind = \"formula\" needs [solver.formula]",
                          "give one expression a response");
  for (const auto& [key, item] : *formulas) {
    const std::string name(key.str()), path = "solver.formula." + name;
    const int index = study.response(name);
    if (index < 0) {
      report(problems, &item, path, "unknown response " + name, instead_of(name, study.response_names()));
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

SolverSpec::Kind kind_of(TableReader& table) {
  using Kind = SolverSpec::Kind;
  const std::string kind = table.text("kind").value_or("");
  if (kind == "process") return Kind::process;
  if (kind == "formula") return Kind::formula;
  if (kind == "manual") return Kind::manual;
  if (kind == "slurm") return Kind::slurm;
  table.problem(table.has("kind") ? "kind" : "",
                table.has("kind") ? fmt::format("unknown solver kind {}", kind) : "there is no kind",
                "use process, formula, manual or slurm");
  return Kind::manual;
}

void read_command(TableReader& table, SolverSpec& s) {
  using Kind = SolverSpec::Kind;
  const bool runs_commands = s.kind == Kind::process || s.kind == Kind::slurm;
  s.command = table.texts("command").value_or(std::vector<std::string>{});
  if (runs_commands && !table.has("command"))
    table.problem("", "there is no command", "write command = [\"program\", \"{input}\", \"{output}\"]");
  for (const std::string& word : s.command)
    each_placeholder(word, [&](std::size_t at, std::size_t length) {
      static const std::set<std::string_view> known = {"input", "output", "run", "folder", "study"};
      if (known.count(std::string_view(word).substr(at + 1, length - 2)) == 0)
        table.problem("command",
                      "unknown placeholder " + shortened(std::string_view(word).substr(at, length), 60),
                      "use {input}, {output}, {run}, {folder} or {study}");
    });
}

}  // namespace

void read_solver(const toml::table& root, Study& study, Faults& problems) {
  const toml::node* node = root.get("solver");
  if (!node) return;  // manual: a table can be imported
  if (!node->is_table()) return report(problems, node, "solver", "must be a table", "write [solver]");
  TableReader table(*node->as_table(), "solver", problems);
  SolverSpec& s = study.solver;
  using Kind = SolverSpec::Kind;
  s.kind = kind_of(table);
  read_command(table, s);
  read_inputs(table, study);
  if (const auto per = table.text("per")) {
    for (std::size_t a = 0; a < study.axes.size(); ++a)
      if (study.axes[a].name == *per) s.per = static_cast<int>(a);
    if (s.per < 0) table.problem("per", fmt::format("unknown axis {}", *per), "name an axis of the study");
  }
  read_outputs(table, study, problems);
  s.repeatable = table.flag("repeatable").value_or(true);
  study.noisy = !s.repeatable;
  s.timeout = duration(table, "timeout");
  s.retry_pause = duration(table, "retry_pause");
  s.memory = size_in_bytes(table, "memory");
  s.file_size = size_in_bytes(table, "file_size");
  read_environment(table, study, problems);
  read_slurm(table, study, problems);
  s.retries = table.whole<int>("retries", 0, 1'000).value_or(0);
  s.jobs = table.whole<int>("jobs", 1, most_jobs).value_or(1);
  s.jobs_given = table.has("jobs");
  table.find("formula");
  if (s.kind == Kind::formula)
    read_formulas(table, study, problems);
  else if (table.has("formula"))
    table.problem("formula", "stands beside another kind of solver",
                  "write kind = \"formula\", or remove it");
  table.finish();
}

}  // namespace renth
