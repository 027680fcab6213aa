#include <algorithm>
#include <renth/document/table_forms.hpp>
#include <renth/table/table_file.hpp>

namespace renth {
namespace {

std::string trimmed(const std::string& text) {
  const std::size_t from = text.find_first_not_of(' ');
  return from == std::string::npos ? "" : text.substr(from, text.find_last_not_of(' ') - from + 1);
}

/// Characters that mean something in a form, made harmless.
std::string escaped(const std::string& text,
                    const std::vector<std::pair<std::string, std::string>>& replaced) {
  std::string out;
  for (std::size_t i = 0; i < text.size();) {
    const auto found = std::find_if(replaced.begin(), replaced.end(), [&](const auto& r) {
      return text.compare(i, r.first.size(), r.first) == 0;
    });
    out += found == replaced.end() ? text.substr(i, 1) : found->second;
    i += found == replaced.end() ? 1 : found->first.size();
  }
  return out;
}

std::string in_markdown(const std::string& cell) {
  return escaped(trimmed(cell),
                 {{"\\", "\\\\"}, {"|", "\\|"}, {"*", "\\*"}, {"_", "\\_"}, {"<", "&lt;"}, {"\n", " "}});
}

std::string in_latex(const std::string& cell) {
  static const std::vector<std::pair<std::string, std::string>> replaced = {{"\\", "\\textbackslash{}"},
                                                                            {"{", "\\{"},
                                                                            {"}", "\\}"},
                                                                            {"&", "\\&"},
                                                                            {"%", "\\%"},
                                                                            {"$", "\\$"},
                                                                            {"#", "\\#"},
                                                                            {"_", "\\_"},
                                                                            {"^", "\\^{}"},
                                                                            {"~", "\\textasciitilde{}"},
                                                                            {"…", "\\ldots{}"},
                                                                            {"²", "$^2$"},
                                                                            {"–", "--"},
                                                                            {"≥", "$\\ge$"},
                                                                            {"≤", "$\\le$"},
                                                                            {"×", "$\\times$"},
                                                                            {"−", "$-$"},
                                                                            {"σ", "$\\sigma$"},
                                                                            {"\n", " "}};
  return escaped(trimmed(cell), replaced);
}

template <class Cell>
std::string joined(const std::vector<std::string>& row, const char* between, const Cell& cell) {
  std::string out;
  for (std::size_t c = 0; c < row.size(); ++c) out += (c > 0 ? between : "") + cell(row[c]);
  return out;
}

std::string markdown(const NamedTable& table) {
  std::string out = table.caption.empty() ? "" : "**" + in_markdown(table.caption) + "**\n\n";
  out += "| " + joined(table.cells.header, " | ", in_markdown) + " |\n|";
  for (const bool number : table.cells.numeric) out += number ? "---:|" : "---|";
  out += "\n";
  for (const auto& row : table.cells.rows) out += "| " + joined(row, " | ", in_markdown) + " |\n";
  return out;
}

std::string latex(const NamedTable& table) {
  std::string columns;
  for (const bool number : table.cells.numeric) columns += number ? 'r' : 'l';
  std::string out = table.caption.empty() ? "" : "% " + table.caption + "\n";
  out += "\\begin{tabular}{" + columns + "}\n\\toprule\n" + joined(table.cells.header, " & ", in_latex) +
         " \\\\\n\\midrule\n";
  for (const auto& row : table.cells.rows) out += joined(row, " & ", in_latex) + " \\\\\n";
  return out + "\\bottomrule\n\\end{tabular}\n";
}

std::string csv(const NamedTable& table, bool named) {
  const auto cell = [](const std::string& text) { return csv_cell(trimmed(text)); };
  std::string out = named ? csv_cell(table.caption) + "\n" : "";
  out += joined(table.cells.header, ",", cell) + "\n";
  for (const auto& row : table.cells.rows) out += joined(row, ",", cell) + "\n";
  return out;
}

}  // namespace

std::string tables_in(TableForm form, const std::vector<NamedTable>& tables) {
  std::string out;
  for (const NamedTable& table : tables) {
    if (table.cells.rows.empty()) continue;
    out += out.empty() ? "" : "\n";
    out += form == TableForm::markdown ? markdown(table)
           : form == TableForm::latex  ? latex(table)
                                       : csv(table, tables.size() > 1);
  }
  return out;
}

std::vector<Cells> split_wide(const Cells& cells, std::size_t most_columns) {
  std::vector<Cells> out;
  for (std::size_t from = 1; from < std::max<std::size_t>(cells.header.size(), 2); from += most_columns - 1) {
    const std::size_t to = std::min(cells.header.size(), from + most_columns - 1);
    const auto part = [&](const auto& all) {
      auto some = all;
      some.erase(some.begin() + std::ptrdiff_t(to), some.end());
      some.erase(some.begin() + 1, some.begin() + std::ptrdiff_t(std::min(from, some.size())));
      return some;
    };
    Cells one{part(cells.header), part(cells.numeric), {}};
    for (const auto& row : cells.rows) one.rows.push_back(part(row));
    out.push_back(std::move(one));
  }
  return out;
}

}  // namespace renth
