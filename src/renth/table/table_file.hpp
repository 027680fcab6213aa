// Tables of text: reading, and writing so that they read back bit for bit.
#pragma once
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace renth {

/// A table with a header, all cells as text.
struct TableFile {
  struct Row {
    int line = 0;  ///< where it stands in the file, from 1
    std::vector<std::string> cells;
  };
  std::vector<std::string> header;
  std::vector<Row> rows;
  std::vector<std::string> other_sheets;  ///< of a spreadsheet, which were not read
  std::optional<std::size_t> column(std::string_view name) const;
};

/// Reads text separated by commas, semicolons, tabs, bars or blanks: the one that the header has most of.
/// Quoted cells, a byte-order mark (UTF-8 or UTF-16) and the line ends of Windows and old machines are
/// understood; spaces round a cell go; a decimal comma becomes a point.
///
/// \throws Error  empty; a header with empty or repeated names; a row with another number of cells
///         (with its line).
TableFile parse_table(std::string text, const std::string& file);
/// The whole file, for parse_table; "-" is standard input. \throws Error  it cannot be read.
std::string read_table_text(const std::string& file);
/// The same, or a sheet of an .xlsx.
/// \param sheet  of a spreadsheet; empty: the first.
TableFile read_table(const std::string& file, const std::string& sheet = "");

/// The same as read_table() a part at a time, which holds far less of a large table: `take` gets the header
/// and up to so many rows, the first time even if there are none. A sheet of an .xlsx is one part.
void read_table_in_parts(const std::string& file, std::size_t rows,
                         const std::function<void(TableFile&)>& take);

/// A number in a cell; nothing if the cell is none.
std::optional<double> cell_number(const std::string& cell);

/// The numbers of a file with one column, ascending; its header may be one of them.
/// \throws Error  cannot be read; more columns; a line that is no number.
std::vector<double> read_one_column(const std::string& file);

/// Is there nothing in a cell: blank, or one of the words that stand for it (NA, NaN, null, –, …)?
bool is_missing(const std::string& cell);

/// One cell, quoted where needed.
std::string csv_cell(const std::string& text);

}  // namespace renth
