#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/study/toml_reader.hpp>
#include <renth/table/table_file.hpp>
#include <renth/table/whole_file.hpp>
#include <renth/workflow/importing.hpp>
#include <set>

namespace renth {
namespace {

void new_folder(const std::filesystem::path& folder) {
  if (std::filesystem::exists(folder / "study.toml"))
    throw Error("there is a study already", (folder / "study.toml").string(), "choose another folder");
  std::error_code error;
  std::filesystem::create_directories(folder, error);
  if (error)
    throw Error("cannot make the folder (" + error.message() + ")", folder.string(), "choose another one",
                ErrorKind::machine);
}

/// A column's title as an identifier; "Radius (m)" gives Radius, with the unit m.
std::pair<std::string, std::string> identifier_and_unit(const std::string& title) {
  std::string unit;
  std::string head = title;
  const auto open = title.find_last_of("([");
  if (open != std::string::npos && open > 0 && (title.back() == ')' || title.back() == ']')) {
    unit = title.substr(open + 1, title.size() - open - 2);
    head = title.substr(0, open);
  }
  std::string name;
  for (const char c : head) name += std::isalnum(static_cast<unsigned char>(c)) ? c : '_';
  while (!name.empty() && name.back() == '_') name.pop_back();
  if (!is_identifier(name)) name = "p_" + name;
  return {name, unit};
}

std::string toml_text(const std::string& text) {
  std::string out = "\"";
  for (const char c : text) {
    const auto code = static_cast<unsigned char>(c);
    if (c == '"' || c == '\\')
      out.append("\\").push_back(c);
    else if (code < 0x20 || code == 0x7f)
      out += fmt::format("\\u{:04X}", code);
    else
      out.push_back(c);
  }
  return out + '"';
}

constexpr const char* starter_study =
    R"toml(# A new study: put your own parameters, responses and solver in place of these, then renth check.
[study]
name = "new study"
seed = 1

[[parameter]]
name = "radius"                # letters, digits, underscore
label = "float radius"
unit = "m"
span = [3.0, 8.0]              # continuous; or levels = [0, 2, 4], choices = ["steel", "composite"], fixed = 50.0

[[parameter]]
name = "draft"
unit = "m"
span = [1.0, 6.0]
step = 0.25                    # only these can be made

[[limit]]
keep = "draft <= radius"       # every run and every proposal obeys it

[[response]]
name = "displaced"
unit = "t"
goal = "maximise"              # or "minimise", { target = 300.0 }, "none"
accept = { max = 900.0 }       # a hard limit when searching

[solver]
kind = "formula"               # or "process" with a command, or "manual"
[solver.formula]
displaced = "1.025 * 3.14159265 * radius^2 * draft"
)toml";

constexpr const char* buoy_study = R"toml(# A heaving wave-energy buoy, made up for demonstration.
[study]
name = "heaving buoy"
seed = 2026

[[parameter]]
name = "radius"
label = "float radius"
unit = "m"
span = [3.0, 8.0]
nominal = 5.0
scatter = { normal = 0.05 }

[[parameter]]
name = "draft"
unit = "m"
span = [1.5, 6.0]
step = 0.25                      # the yard builds in quarters of a metre
nominal = 3.5
scatter = { normal = "2%" }

[[parameter]]
name = "damping"
label = "generator damping"
unit = "kN s/m"
span = [20.0, 400.0]
nominal = 120.0
scatter = { uniform = "10%" }

[[parameter]]
name = "mooring"
label = "mooring stiffness"
unit = "kN/m"
span = [5.0, 150.0]
nominal = 40.0
scatter = { lognormal = "15%" }

[[parameter]]
name = "plates"
label = "ballast plates"
levels = [0, 1, 2, 3, 4, 5, 6]   # half a plate does not exist
nominal = 2

[[parameter]]
name = "hull"
label = "hull material"
choices = ["steel", "composite"]

[[parameter]]
name = "depth"
label = "water depth"
unit = "m"
fixed = 50.0

[[limit]]
keep = "2 * plates <= 5 * draft - 2"   # the hull must have freeboard

[[axis]]
name = "period"
unit = "s"
points = [5, 6, 7, 8, 9, 10, 12]

[[response]]
name = "power"
label = "annual mean power"
unit = "kW"
goal = "maximise"
weight = 2.0
accept = { min = 20.0 }

[[response]]
name = "load"
label = "peak mooring load"
unit = "kN"
goal = "minimise"
accept = { max = 350.0 }

[[response]]
name = "mass"
label = "steel mass"
unit = "t"
goal = "minimise"
accept = { max = 150.0 }

[[response]]
name = "absorbed"
label = "absorbed power"
unit = "kW"
along = "period"

[[response]]
name = "power_per_tonne"
label = "power per tonne of steel"
unit = "kW/t"
derive = "power / mass"

[[response]]
name = "best_period"
label = "period of most absorption"
unit = "s"
derive = "argmax(absorbed)"

[[scenario]]
name = "sheltered"
goals = { power = "maximise", load = "minimise" }
keep = ["mass <= 120"]
hold = { hull = "steel" }

[solver]
kind = "process"
command = ["buoy-solver", "{input}", "{output}"]
input = "buoy.in.template"
output = "json"
repeatable = true
timeout = "1 min"
retries = 0
jobs = 2
)toml";

constexpr const char* buoy_template = R"(# input of the buoy solver, run {{run}}
radius  = {{radius}}
draft   = {{draft}}
damping = {{damping}}
mooring = {{mooring}}
plates  = {{plates}}
hull    = {{hull}}
depth   = {{depth}}
)";

constexpr const char* tank_study =
    R"toml(# Model tests of the buoy at 1:20 in a wave tank, made up for demonstration.
[study]
name = "tank tests"
seed = 7

[[parameter]]
name = "damping"
label = "model damping"
unit = "N s/m"
span = [50.0, 110.0]

[[parameter]]
name = "draft"
unit = "m"
span = [0.16, 0.22]

[[parameter]]
name = "period"
label = "wave period"
unit = "s"
span = [1.20, 1.45]

[[response]]
name = "heave"
label = "heave over wave amplitude"
goal = "maximise"
accept = { min = 1.0 }

[[response]]
name = "force"
label = "line force"
unit = "N"
goal = "minimise"
accept = { max = 340.0 }

[solver]
kind = "process"
command = ["buoy-solver", "--tank", "{input}", "{output}"]
input = "tank.in.template"
output = "json"
repeatable = false               # measured: the same setting scatters
)toml";

constexpr const char* tank_template = R"(# tank test {{run}}
test    = {{run}}
damping = {{damping}}
draft   = {{draft}}
period  = {{period}}
)";

/// What a column says of its parameter: fixed, levels, a span or choices.
std::string guessed_range(const TableFile& table, std::size_t c, const std::string& file) {
  const std::string& title = table.header[c];
  std::vector<double> numbers;
  std::set<std::string> texts;
  for (const TableFile::Row& row : table.rows) {
    texts.insert(row.cells[c]);
    if (const auto v = cell_number(row.cells[c])) numbers.push_back(*v);
  }
  std::string line;
  if (numbers.size() == table.rows.size()) {
    std::set<double> distinct(numbers.begin(), numbers.end());
    const bool whole =
        std::all_of(distinct.begin(), distinct.end(), [](double v) { return v == std::floor(v); });
    if (distinct.size() == 1)
      line = fmt::format("fixed = {}", *distinct.begin());
    else if (whole && distinct.size() <= 8 && distinct.size() * 3 <= numbers.size() && distinct.size() > 2)
      line = fmt::format("levels = [{}]", fmt::join(distinct, ", "));
    else
      line = fmt::format("span = [{}, {}]", *distinct.begin(), *distinct.rbegin());
  } else {
    if (texts.count(""))
      throw Error(fmt::format("the column {} has blanks", title), file,
                  "a parameter needs a value in every row");
    std::string list;
    for (const std::string& t : texts) list += (list.empty() ? "" : ", ") + toml_text(t);
    line = texts.size() == 1 ? fmt::format("fixed = {}", toml_text(*texts.begin()))
                             : fmt::format("choices = [{}]", list);
  }
  return line;
}

/// Imports the table into a study that was made for it, which goes if that fails.
std::string import_into(const std::filesystem::path& folder, const std::string& file,
                        const std::map<std::string, std::string>& map) {
  try {
    Session session(folder);
    ImportOptions options;
    for (const auto& [title, name] : map)
      if (title != name) options.map[title] = name;
    const ImportResult result = import_table(session, file, options);
    return fmt::format("{} runs imported into batch {}", result.added + result.planned,
                       result.batches.empty() ? "" : result.batches.front());
  } catch (...) {
    for (const char* made : {"study.toml", "study.db", "study.db-wal", "study.db-shm"})
      std::filesystem::remove(folder / made);
    throw;
  }
}

void check_table(const TableFile& table, const std::string& file, const std::vector<std::string>& responses) {
  if (table.rows.empty()) throw Error("the table has a header and no row", file, "give it a row a run");
  if (responses.empty())
    throw Error("which columns are responses is not said", "--responses",
                "name them: --responses power,load");
  for (const std::string& r : responses)
    if (!table.column(r))
      throw Error("there is no column " + r, "--responses",
                  fmt::format("its columns are {}", fmt::join(table.header, ", ")));
}

}  // namespace

void make_starter_study(const std::filesystem::path& folder) {
  new_folder(folder);
  write_whole_file(folder / "study.toml", starter_study);
}

void make_demo_study(const std::filesystem::path& folder, const std::string& which) {
  if (which != "buoy" && which != "tank") throw Error("unknown demo " + which, "--demo", "use buoy or tank");
  new_folder(folder);
  const bool buoy = which == "buoy";
  write_whole_file(folder / (buoy ? "buoy.in.template" : "tank.in.template"),
                   buoy ? buoy_template : tank_template);
  write_whole_file(folder / "study.toml", buoy ? buoy_study : tank_study);
}

std::vector<std::string> study_from_table(const std::filesystem::path& folder, const std::string& file,
                                          const std::vector<std::string>& responses) {
  const TableFile table = read_table(file);
  check_table(table, file, responses);
  std::string parameters, outputs;
  std::vector<std::string> said;
  std::map<std::string, std::string> map;
  std::set<std::string> names;
  for (std::size_t c = 0; c < table.header.size(); ++c) {
    const std::string& title = table.header[c];
    if (title == "id" || title == "batch" || title == "use" || title == "origin" || title == "block" ||
        title == "status" || title == "set_aside")
      continue;
    auto [name, unit] = identifier_and_unit(title);
    while (!names.insert(name).second) name += "_";
    map[title] = name;
    const std::string unit_line = unit.empty() ? "" : "unit = " + toml_text(unit) + "\n";
    if (std::find(responses.begin(), responses.end(), title) != responses.end()) {
      outputs += fmt::format("\n[[response]]\nname = \"{}\"\n{}", name, unit_line);
      said.push_back(fmt::format("{}: a response", name));
      continue;
    }
    const std::string line = guessed_range(table, c, file);
    parameters += fmt::format("\n[[parameter]]\nname = \"{}\"\n{}{}\n", name, unit_line, line);
    said.push_back(fmt::format("{}: a parameter, {}", name, line));
  }
  new_folder(folder);
  const std::string head = fmt::format(
      "# Guessed from {}: correct what is wrong, then renth check.\n[study]\nname = {}\nseed = 1\n",
      std::filesystem::path(file).filename().string(), toml_text(folder.filename().string()));
  const std::filesystem::path toml = folder / "study.toml";
  write_whole_file(toml, head + parameters + outputs + "\n[solver]\nkind = \"manual\"\n");
  said.push_back(import_into(folder, file, map));
  return said;
}

}  // namespace renth
