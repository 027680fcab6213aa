// Spreadsheets (Office Open XML, ISO/IEC 29500): what a module reads and writes of them.
#pragma once
#include <string>
#include <variant>
#include <vector>

namespace renth {

/// A sheet that is written: its header stays in sight, numbers are numbers.
struct SheetToWrite {
  std::string name;
  std::vector<std::string> header;
  std::vector<std::vector<std::variant<std::monostate, double, std::string>>> rows;
};

struct SheetRead {
  std::vector<std::vector<std::string>> rows;  ///< cells as text; blank rows too: the i-th is row i + 1
  std::vector<std::string> sheets;             ///< names of all
};

/// What the module exports by `sheets_symbol`: a table of these. Both return what went wrong; empty: nothing.
struct SheetsModule {
  std::string (*read)(const std::string& file, const std::string& sheet, SheetRead& out);
  std::string (*write)(const std::string& file, const std::vector<SheetToWrite>& sheets);
};
inline constexpr const char* sheets_symbol = "renth_sheets";

/// \param sheet  empty: the first.
/// \throws Error  there is no module or no such sheet; it cannot be read or written, no spreadsheet, too
/// large.
SheetRead read_sheet(const std::string& file, const std::string& sheet = "");
void write_sheets(const std::string& file, const std::vector<SheetToWrite>& sheets);

/// By the ending of the file's name.
bool is_spreadsheet(const std::string& file);

}  // namespace renth
