#include <algorithm>
#include <filesystem>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/table/module.hpp>
#include <renth/table/sheets.hpp>

namespace renth {
namespace {

const SheetsModule& module() {
  return *static_cast<const SheetsModule*>(
      module_symbol("renth-sheets.so", sheets_symbol, "save the sheet as CSV"));
}

}  // namespace

bool is_spreadsheet(const std::string& file) {
  std::string ending = std::filesystem::path(file).extension().string();
  std::transform(ending.begin(), ending.end(), ending.begin(),
                 [](unsigned char c) { return char(std::tolower(c)); });
  return ending == ".xlsx";
}

SheetRead read_sheet(const std::string& file, const std::string& sheet) {
  SheetRead out;
  const std::string trouble = module().read(file, sheet, out);
  if (trouble.empty() && !sheet.empty() &&
      std::find(out.sheets.begin(), out.sheets.end(), sheet) == out.sheets.end())
    refuse_unknown("sheet", sheet, file, out.sheets);
  if (!trouble.empty())
    throw Error(trouble, file, "open it in a spreadsheet program and save it as .xlsx or CSV");
  return out;
}

void write_sheets(const std::string& file, const std::vector<SheetToWrite>& sheets) {
  // Written beside it first: what was there before stays until all is written.
  const std::string beside = file + ".part";
  const std::string trouble = module().write(beside, sheets);
  std::error_code error;
  if (trouble.empty()) std::filesystem::rename(beside, file, error);
  if (trouble.empty() && !error) return;
  std::error_code ignored;
  std::filesystem::remove(beside, ignored);
  throw Error("cannot write: " + (trouble.empty() ? error.message() : trouble), file,
              "look at the folder's permissions and the disk", ErrorKind::machine);
}

}  // namespace renth
