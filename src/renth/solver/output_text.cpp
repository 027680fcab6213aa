#include <fmt/format.h>

#include <charconv>
#include <cmath>
#include <renth/base/text.hpp>
#include <renth/solver/output_text.hpp>
#include <renth/solver/regular_file.hpp>
#include <sstream>

namespace renth {

void output_problem(const std::string& problem, const std::filesystem::path& file) {
  throw Error(problem, file.filename().string(), "look into the run's folder", ErrorKind::solver);
}

double output_number(std::string_view text, const std::string& name, const std::filesystem::path& file) {
  const std::size_t start = text.find_first_not_of(" \t\r\n");
  if (start == std::string_view::npos) output_problem(name + " is empty", file);
  text = text.substr(start, text.find_last_not_of(" \t\r\n") - start + 1);
  std::string_view digits = text.front() == '+' ? text.substr(1) : text;
  double value = 0;
  const auto [end, status] = std::from_chars(digits.data(), digits.data() + digits.size(), value);
  if (status == std::errc::result_out_of_range)
    output_problem(fmt::format("\"{}\" is too large or too small for {}", shortened(text, 40), name), file);
  if (status != std::errc() || end != digits.data() + digits.size())
    output_problem(fmt::format("{1} must be a number, not \"{0}\"", shortened(text, 40), name), file);
  if (!std::isfinite(value)) output_problem(fmt::format("the solver wrote {} for {}", value, name), file);
  return value;
}

const std::string& OutputTexts::text(const std::filesystem::path& file) {
  if (const auto known = texts_.find(file); known != texts_.end()) return known->second;
  constexpr std::uintmax_t most = 64U << 20;
  const RegularFile in(file);
  if (in.other()) output_problem("the solver's output is not a plain file", file);
  if (!in) output_problem("the solver wrote no output", file);
  if (in.size() == 0) output_problem("the solver's output is empty", file);
  if (in.size() > most)
    output_problem(fmt::format("the solver's output has {} MB, more than 64", in.size() >> 20), file);
  return texts_[file] = in.read();
}

const nlohmann::json& OutputTexts::json(const std::filesystem::path& file) {
  if (const auto known = documents_.find(file); known != documents_.end()) return known->second;
  const std::string& all = text(file);
  if (nested_deeper(all, most_nested_json))
    output_problem(fmt::format("the solver's output is nested more than {} deep", most_nested_json), file);
  nlohmann::json document = nlohmann::json::parse(all, nullptr, false);
  if (document.is_discarded())
    output_problem("the solver's output is not JSON (cut short, or with NaN or a number too large?)", file);
  return documents_[file] = std::move(document);
}

namespace {
std::string without_lines(const std::string& text, int skip, const std::filesystem::path& file) {
  std::size_t at = 0;
  for (int i = 0; i < skip; ++i) {
    at = text.find('\n', at);
    if (at == std::string::npos)
      output_problem(fmt::format("the output has fewer than {} lines", skip + 1), file);
    ++at;
  }
  return text.substr(at);
}
}  // namespace

const TableFile& OutputTexts::csv(const std::filesystem::path& file, int skip) {
  const auto key = std::pair(file, skip);
  if (const auto known = tables_.find(key); known != tables_.end()) return known->second;
  const std::string rest = without_lines(text(file), skip, file);
  try {
    return tables_[key] = parse_table(rest, file.filename().string());
  } catch (const Error& e) {
    tables_.erase(key);
    // Lines were counted from where the table begins.
    throw Error(e.problem(), skip > 0 ? fmt::format("{} after {} lines", e.place(), skip) : e.place(),
                "look into the run's folder", ErrorKind::solver);
  }
}

const TableFile& OutputTexts::table(const std::filesystem::path& file, int skip) {
  const auto key = std::pair(file, -1 - skip);
  if (const auto known = tables_.find(key); known != tables_.end()) return known->second;
  std::istringstream in(without_lines(text(file), skip, file));
  TableFile out;
  std::size_t width = 0;
  int number = skip;
  for (std::string line; std::getline(in, line);) {
    ++number;
    const std::size_t first = line.find_first_not_of(" \t\r");
    if (first == std::string::npos) continue;
    const bool comment = line[first] == '#' || line[first] == '%';
    std::istringstream words(line.substr(first + comment));
    TableFile::Row row{number, {}};
    for (std::string w; words >> w;) row.cells.push_back(w);
    if (row.cells.empty()) continue;
    const bool numbers = cell_number(row.cells[0]).has_value();
    if (comment) {
      // A comment before the first row may name the columns.
      if (out.rows.empty() && !numbers) out.header = row.cells;
      continue;
    }
    if (out.rows.empty() && !numbers) {
      out.header = row.cells;
      continue;
    }
    if (width == 0) width = row.cells.size();
    if (row.cells.size() != width)
      output_problem(
          fmt::format("line {} has {} columns, those before have {}", number, row.cells.size(), width), file);
    out.rows.push_back(std::move(row));
  }
  if (out.rows.empty()) output_problem("the output has no row of numbers", file);
  if (out.header.size() != width) out.header.clear();  // it was some other text
  return tables_[key] = std::move(out);
}

}  // namespace renth
