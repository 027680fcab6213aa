#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <renth/plan/centred_plan.hpp>
#include <renth/study/toml_reader.hpp>
#include <renth/table/table_file.hpp>
#include <renth/table/units.hpp>
#include <renth/table/whole_file.hpp>
#include <renth/workflow/import_rows.hpp>
#include <renth/workflow/importing.hpp>
#include <renth/workflow/new_folder.hpp>
#include <set>

namespace renth {
namespace {

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

/// A column of the table, and what it is guessed to be.
struct Column {
  std::string title, name, unit;  ///< name: an identifier
  std::vector<double> numbers;    ///< of the rows where there is one
  std::set<std::string> texts;
  bool all_numbers = false;
  std::optional<CentredColumn> centred;

  /// name, label and unit, as lines of a study file
  std::string head() const {
    const std::string label = name_and_unit(title).first;
    return fmt::format("name = \"{}\"\n{}{}", name, label == name ? "" : "label = " + toml_text(label) + "\n",
                       unit.empty() ? "" : "unit = " + toml_text(unit) + "\n");
  }
};

std::string identifier(const std::string& text) {
  std::string name;
  for (const char c : text) name += std::isalnum(static_cast<unsigned char>(c)) ? c : '_';
  while (!name.empty() && name.back() == '_') name.pop_back();
  return is_identifier(name) ? name : "p_" + name;
}

/// The row of units under the titles, if there is one; a unit a column.
std::vector<std::string> units_row(TableFile& table) {
  std::vector<std::size_t> numbers;  // columns that have nothing else below
  for (std::size_t c = 0; c < table.header.size(); ++c)
    if (table.rows.size() > 1 && std::all_of(table.rows.begin() + 1, table.rows.end(), [&](const auto& row) {
          return cell_number(row.cells[c]) || is_missing(row.cells[c]);
        }))
      numbers.push_back(c);
  if (!has_units_row(table, numbers)) return std::vector<std::string>(table.header.size());
  std::vector<std::string> out = take_units_row(table);
  for (std::size_t c = 0; c < out.size(); ++c)
    if (std::find(numbers.begin(), numbers.end(), c) == numbers.end()) out[c].clear();
  return out;
}

std::vector<Column> columns_of(TableFile& table) {
  const std::vector<std::string> units = units_row(table);
  std::vector<Column> out;
  std::set<std::string> names;
  for (std::size_t c = 0; c < table.header.size(); ++c) {
    Column column;
    column.title = table.header[c];
    auto [head, unit] = name_and_unit(column.title);
    column.name = identifier(head);
    while (!names.insert(column.name).second) column.name += "_";
    column.unit = unit.empty() ? units[c] : unit;
    for (const TableFile::Row& row : table.rows) {
      column.texts.insert(row.cells[c]);
      if (const auto v = cell_number(row.cells[c])) column.numbers.push_back(*v);
    }
    column.all_numbers = column.numbers.size() == table.rows.size();
    out.push_back(std::move(column));
  }
  return out;
}

/// Marks the columns of a composite plan.
void find_centred_plan(std::vector<Column>& columns, const std::vector<std::string>& responses) {
  std::vector<Column*> used;
  for (Column& c : columns)
    if (c.all_numbers && bookkeeping.count(c.title) == 0 &&
        std::find(responses.begin(), responses.end(), c.title) == responses.end())
      used.push_back(&c);
  if (used.empty()) return;
  Eigen::MatrixXd values(Eigen::Index(used[0]->numbers.size()), Eigen::Index(used.size()));
  for (std::size_t j = 0; j < used.size(); ++j)
    values.col(Eigen::Index(j)) = Eigen::Map<const Eigen::VectorXd>(used[j]->numbers.data(), values.rows());
  const auto found = recognise_centred_plan(values);
  for (std::size_t j = 0; j < used.size(); ++j) used[j]->centred = found[j];
}

/// What a column says of its parameter: fixed, levels, a span or choices. `remark`: why, if that needs
/// saying.
std::string guessed_range(const Column& column, const std::string& file, std::string& remark) {
  if (!column.all_numbers) {
    if (column.texts.count(""))
      throw Error(fmt::format("the column {} has blanks", column.title), file,
                  "a parameter needs a value in every row");
    std::string list;
    for (const std::string& t : column.texts) list += (list.empty() ? "" : ", ") + toml_text(t);
    return column.texts.size() == 1 ? fmt::format("fixed = {}", toml_text(*column.texts.begin()))
                                    : fmt::format("choices = [{}]", list);
  }
  if (const auto& c = column.centred) {
    if (c->axial_low != c->low)
      remark = fmt::format(" (the corners of a composite plan; its axial runs are at {} and {})",
                           c->axial_low, c->axial_high);
    return fmt::format("span = [{}, {}]", c->low, c->high);
  }
  const std::set<double> distinct(column.numbers.begin(), column.numbers.end());
  const bool whole =
      std::all_of(distinct.begin(), distinct.end(), [](double v) { return v == std::floor(v); });
  if (distinct.size() == 1) return fmt::format("fixed = {}", *distinct.begin());
  if (whole && distinct.size() <= 8 && distinct.size() * 3 <= column.numbers.size() && distinct.size() > 2) {
    remark = " (few whole numbers; if there is something between them, write a span)";
    return fmt::format("levels = [{}]", fmt::join(distinct, ", "));
  }
  return fmt::format("span = [{}, {}]", *distinct.begin(), *distinct.rbegin());
}

/// Were runs repeated, with results that differ? \param is_response  of each column; others are settings.
bool results_scatter(const TableFile& table, const std::vector<Column>& columns,
                     const std::vector<char>& is_response) {
  std::map<std::string, std::vector<const TableFile::Row*>> alike;  // by their settings
  for (const TableFile::Row& row : table.rows) {
    std::string settings;
    for (std::size_t c = 0; c < columns.size(); ++c)
      if (!is_response[c] && bookkeeping.count(columns[c].title) == 0) settings += row.cells[c] + "\n";
    alike[settings].push_back(&row);
  }
  for (const auto& [settings, rows] : alike)
    for (std::size_t c = 0; c < columns.size(); ++c)
      for (const TableFile::Row* row : rows)
        if (is_response[c] && !is_missing(row->cells[c]) && !is_missing(rows[0]->cells[c]) &&
            row->cells[c] != rows[0]->cells[c])
          return true;
  return false;
}

/// Imports the table into a study that was made for it, which goes if that fails.
std::string import_into(const std::filesystem::path& folder, const std::string& file,
                        const std::vector<Column>& columns) {
  try {
    Session session(folder);
    ImportOptions options;
    for (const Column& c : columns)
      if (c.title != c.name && bookkeeping.count(c.title) == 0) options.map[c.title] = c.name;
    const ImportResult result = import_table(session, file, options);
    return fmt::format("{} runs imported into batch {}", result.added + result.planned,
                       result.batches.empty() ? "" : result.batches.front());
  } catch (...) {
    for (const char* made : {"study.toml", "study.db", "study.db-wal", "study.db-shm"})
      std::filesystem::remove(folder / made);
    throw;
  }
}

/// The columns that are responses, by their titles as they were typed: with or without the unit.
std::vector<std::string> titles_of(const TableFile& table, const std::vector<std::string>& responses) {
  std::vector<std::string> out;
  for (const std::string& r : responses) {
    const auto found = std::find_if(table.header.begin(), table.header.end(), [&](const std::string& title) {
      return title == r || name_and_unit(title).first == r || identifier(name_and_unit(title).first) == r;
    });
    if (found == table.header.end())
      throw Error("there is no column " + r, "--responses",
                  fmt::format("its columns are {}", fmt::join(table.header, ", ")));
    out.push_back(*found);
  }
  return out;
}

}  // namespace

std::vector<std::string> study_from_table(const std::filesystem::path& folder, const std::string& file,
                                          const std::vector<std::string>& asked) {
  TableFile table = read_table(file);
  if (table.rows.empty()) throw Error("the table has a header and no row", file, "give it a row a run");
  if (asked.empty())
    throw Error("which columns are responses is not said", "--responses",
                "name them: --responses power,load");
  const std::vector<std::string> responses = titles_of(table, asked);
  std::vector<Column> columns = columns_of(table);
  find_centred_plan(columns, responses);
  std::string parameters, outputs;
  std::vector<std::string> said;
  std::vector<char> is_response;
  for (const Column& c : columns) {
    is_response.push_back(std::find(responses.begin(), responses.end(), c.title) != responses.end());
    if (bookkeeping.count(c.title) > 0) continue;
    if (is_response.back()) {
      outputs += "\n[[response]]\n" + c.head();
      said.push_back(fmt::format("{}: a response", with_unit(c.name, c.unit)));
      continue;
    }
    std::string remark;
    const std::string line = guessed_range(c, file, remark);
    parameters += fmt::format("\n[[parameter]]\n{}{}\n", c.head(), line);
    said.push_back(fmt::format("{}: a parameter, {}{}", with_unit(c.name, c.unit), line, remark));
  }
  const bool scatter = results_scatter(table, columns, is_response);
  if (scatter) said.emplace_back("runs were repeated with other results: repeatable = false");
  new_folder(folder);
  const std::string head = fmt::format(
      "# Guessed from {}: correct what is wrong, then renth check.\n[study]\nname = {}\nseed = 1\n",
      std::filesystem::path(file).filename().string(), toml_text(folder.filename().string()));
  const std::filesystem::path toml = folder / "study.toml";
  write_whole_file(
      toml,
      head + parameters + outputs + "\n[solver]\nkind = \"manual\"\n" +
          (scatter ? "repeatable = false               # runs were repeated with other results\n" : ""));
  said.push_back(import_into(folder, file, columns));
  return said;
}

}  // namespace renth
