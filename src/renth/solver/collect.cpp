#include <fmt/format.h>

#include <charconv>
#include <cmath>
#include <fstream>
#include <nlohmann/json.hpp>
#include <regex>
#include <renth/solver/collect.hpp>
#include <renth/study/table_file.hpp>
#include <sstream>

namespace renth {
namespace {

using Values = std::map<std::string, std::vector<double>>;

[[noreturn]] void fail(const std::string& problem, const std::filesystem::path& file) {
  throw Error(problem, file.filename().string(), "look into the run's folder", ErrorKind::solver);
}

std::string read_output(const std::filesystem::path& file) {
  constexpr std::uintmax_t most = 64U << 20;
  std::error_code error;
  const auto size = std::filesystem::file_size(file, error);
  if (error) fail("the solver wrote no output", file);
  if (size == 0) fail("the solver's output is empty", file);
  if (size > most) fail(fmt::format("the solver's output has {} MB, more than 64", size >> 20), file);
  std::ifstream in(file, std::ios::binary);
  std::ostringstream out;
  out << in.rdbuf();
  return out.str();
}

std::size_t length_of(const Study& study, const Response& r) {
  const Axis* axis = study.axis_of(r);
  return axis ? axis->points.size() : 1;
}

double finite(double value, const std::string& name, const std::filesystem::path& file) {
  if (!std::isfinite(value)) fail(fmt::format("the solver wrote {} for {}", value, name), file);
  return value;
}

Values from_json(const Study& study, const std::filesystem::path& file) {
  nlohmann::json document;
  try {
    document = nlohmann::json::parse(read_output(file));
  } catch (const nlohmann::json::exception&) {
    fail("the solver's output is no JSON (cut short, or with NaN or a number too large?)", file);
  }
  Values out;
  for (const Response& r : study.responses) {
    if (r.derive) continue;
    if (!document.is_object() || !document.contains(r.name)) fail("the output has no " + r.name, file);
    const nlohmann::json& entry = document[r.name];
    std::vector<double>& values = out[r.name];
    const auto take = [&](const nlohmann::json& v) {
      if (!v.is_number()) fail(fmt::format("{} is {} and no number", r.name, v.dump()), file);
      values.push_back(finite(v.get<double>(), r.name, file));
    };
    if (entry.is_array())
      for (const auto& v : entry) take(v);
    else
      take(entry);
    if (values.size() != length_of(study, r) || entry.is_array() != (r.axis >= 0))
      fail(fmt::format("{} has {} values and should have {}", r.name, values.size(), length_of(study, r)),
           file);
  }
  return out;
}

double number_in(std::string_view text, const std::string& name, const std::filesystem::path& file) {
  const std::size_t start = text.find_first_not_of(" \t+");
  if (start == std::string_view::npos) fail(name + " is empty", file);
  text.remove_prefix(start);
  double value = 0;
  const auto [end, status] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (status != std::errc() ||
      text.find_first_not_of(" \t\r", static_cast<std::size_t>(end - text.data())) != std::string_view::npos)
    fail(fmt::format("\"{}\" is no number for {}", text.substr(0, 40), name), file);
  return finite(value, name, file);
}

Values from_csv(const Study& study, const std::filesystem::path& file) {
  const TableFile table = parse_table(read_output(file), file.filename().string());
  if (table.rows.empty()) fail("the output has a header and no row", file);
  const auto& row = table.rows.back();
  Values out;
  for (const Response& r : study.responses) {
    if (r.derive) continue;
    const std::size_t length = length_of(study, r);
    for (std::size_t k = 1; k <= length; ++k) {
      const std::string column = r.axis >= 0 ? fmt::format("{}_{}", r.name, k) : r.name;
      const auto found = table.column(column);
      if (!found) fail("the output has no column " + column, file);
      out[r.name].push_back(number_in(row.cells[*found], column, file));
    }
  }
  return out;
}

Values from_patterns(const Study& study, const RunFolder& files) {
  const bool has_file = std::filesystem::exists(files.output);
  const std::filesystem::path file = has_file ? files.output : files.folder / "stdout";
  const std::string text = read_output(file);
  Values out;
  for (const Response& r : study.responses) {
    if (r.derive) continue;
    const std::regex pattern(study.solver.patterns.at(r.name));
    std::vector<double> found;
    std::istringstream lines(text);  // line by line: std::regex recurses, and solvers print a lot
    for (std::string line; std::getline(lines, line);) {
      if (line.size() > 10'000) continue;
      for (std::sregex_iterator it(line.begin(), line.end(), pattern), end; it != end; ++it)
        found.push_back(number_in((*it)[1].str(), r.name, file));
    }
    const std::size_t length = length_of(study, r);
    if (found.size() < length)
      fail(fmt::format("the pattern of {} matches {} times and should {}", r.name, found.size(), length),
           file);
    out[r.name].assign(found.end() - static_cast<std::ptrdiff_t>(length), found.end());
  }
  return out;
}

std::string tail(const std::filesystem::path& file) {
  std::ifstream in(file, std::ios::binary | std::ios::ate);
  if (!in) return "";
  const std::streamoff size = in.tellg(), from = std::max<std::streamoff>(0, size - 600);
  in.seekg(from);
  std::string text(static_cast<std::size_t>(size - from), '\0');
  in.read(text.data(), size - from);
  while (!text.empty() && std::isspace(static_cast<unsigned char>(text.back()))) text.pop_back();
  // The last three lines, joined.
  std::size_t at = text.size();
  for (int line = 0; line < 3 && at != std::string::npos && at > 0; ++line) at = text.rfind('\n', at - 1);
  if (at != std::string::npos && at < text.size()) text.erase(0, at + (text[at] == '\n'));
  for (char& c : text)
    if (static_cast<unsigned char>(c) < 32 || static_cast<unsigned char>(c) > 126) c = c == '\n' ? '|' : '?';
  return text;
}

}  // namespace

Values collect_outputs(const Study& study, const RunFolder& files) {
  switch (study.solver.output) {
    case SolverSpec::Output::json:
      return from_json(study, files.output);
    case SolverSpec::Output::csv:
      return from_csv(study, files.output);
    default:
      return from_patterns(study, files);
  }
}

std::string last_words(const RunFolder& files) {
  const std::string text = tail(files.folder / "stderr");
  return text.empty() ? tail(files.folder / "stdout") : text;
}

}  // namespace renth
