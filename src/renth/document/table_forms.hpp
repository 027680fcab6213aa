// Tables in the forms that other programs take: Markdown, LaTeX, comma-separated values.
#pragma once
#include <renth/base/words.hpp>
#include <renth/document/text_table.hpp>
#include <string>
#include <vector>

namespace renth {

enum class TableForm { table, markdown, latex, csv };
inline constexpr EnumWords<TableForm, 4> table_form_words{"form of tables", {"table", "md", "latex", "csv"}};

/// A table with what it is of.
struct NamedTable {
  std::string caption;
  Cells cells;
};

/// One after another: Markdown with a heading each, LaTeX as `tabular` with booktabs' rules, CSV with a line
/// of the caption before each table if there are several.
std::string tables_in(TableForm form, const std::vector<NamedTable>& tables);

/// A table that is too wide, as several that each begin with the first column.
std::vector<Cells> split_wide(const Cells& cells, std::size_t most_columns);

}  // namespace renth
