#include <fmt/format.h>

#include <algorithm>
#include <fstream>
#include <nlohmann/json.hpp>
#include <renth/solver/render.hpp>
#include <sstream>

namespace renth {
namespace {

std::string read_all(const std::filesystem::path& file) {
  std::ifstream in(file, std::ios::binary);
  if (!in)
    throw Error("cannot read the input template", file.string(), "put it back, or correct input in [solver]");
  std::ostringstream out;
  out << in.rdbuf();
  return out.str();
}

std::string replace_all(std::string text, const std::string& what, const std::string& with) {
  for (std::size_t at = 0; (at = text.find(what, at)) != std::string::npos; at += with.size())
    text.replace(at, what.size(), with);
  return text;
}

}  // namespace

std::string render_template(const std::string& text, const Settings& settings, std::int64_t run,
                            const std::string& file) {
  std::string out;
  std::size_t at = 0;
  for (;;) {
    const std::size_t open = text.find("{{", at);
    out.append(text, at, open == std::string::npos ? open : open - at);
    if (open == std::string::npos) return out;
    const auto line = std::count(text.begin(), text.begin() + static_cast<std::ptrdiff_t>(open), '\n') + 1;
    const std::size_t close = text.find("}}", open);
    if (close == std::string::npos)
      throw Error("{{ without }}", fmt::format("{}:{}", file, line), "close it");
    std::string word = text.substr(open + 2, close - open - 2);
    word.erase(std::remove_if(word.begin(), word.end(), [](unsigned char c) { return std::isspace(c); }),
               word.end());
    if (word == "run") {
      out += std::to_string(run);
    } else if (const auto found = settings.find(word); found != settings.end()) {
      std::visit([&](const auto& value) { out += fmt::format("{}", value); }, found->second);
    } else {
      throw Error(fmt::format("no parameter is called \"{}\"", word), fmt::format("{}:{}", file, line),
                  "use the name of a parameter, or run");
    }
    at = close + 2;
  }
}

std::string render_json(const Settings& settings, std::int64_t run) {
  nlohmann::json out = {{"run", run}};
  for (const auto& [key, value] : settings) std::visit([&, k = key](const auto& v) { out[k] = v; }, value);
  return out.dump(1) + "\n";
}

RunFolder RunFolder::of(const Study& study, std::int64_t run) {
  RunFolder out;
  out.folder = std::filesystem::absolute(study.folder) / "runs" / fmt::format("{:06}", run);
  std::filesystem::path name =
      study.solver.input.empty() ? "input.json" : std::filesystem::path(study.solver.input).filename();
  if (name.extension() == ".template") name = name.stem();
  out.input = out.folder / name;
  out.output = out.folder / (study.solver.output == SolverSpec::Output::json  ? "output.json"
                             : study.solver.output == SolverSpec::Output::csv ? "output.csv"
                                                                              : "output.txt");
  return out;
}

void prepare_run(const Study& study, const RunFolder& files, const Settings& settings, std::int64_t run) {
  const std::string text =
      study.solver.input.empty()
          ? render_json(settings, run)
          : render_template(read_all(study.folder / study.solver.input), settings, run, study.solver.input);
  std::error_code error;
  std::filesystem::remove_all(files.folder, error);
  std::filesystem::create_directories(files.folder, error);
  std::ofstream out(files.input, std::ios::binary);
  out << text;
  if (!out.flush())
    throw Error("cannot write the input of a run", files.input.string(),
                "look at the disk and its permissions, then run again", ErrorKind::machine);
}

std::vector<std::string> render_command(const Study& study, const RunFolder& files, std::int64_t run) {
  std::vector<std::string> out;
  for (std::string word : study.solver.command) {
    word = replace_all(std::move(word), "{input}", files.input.string());
    word = replace_all(std::move(word), "{output}", files.output.string());
    out.push_back(replace_all(std::move(word), "{run}", std::to_string(run)));
  }
  return out;
}

}  // namespace renth
