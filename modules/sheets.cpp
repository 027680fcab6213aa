// Reading and writing spreadsheets, a module that the tool loads when it meets one.
#include <xlsxwriter.h>
#include <zip.h>

#include <cmath>
#include <cstdlib>
#include <map>
#include <memory>
#include <pugixml.hpp>
#include <renth/table/sheets.hpp>
#include <set>
#include <stdexcept>

namespace {

using Rows = std::vector<std::vector<std::string>>;
constexpr zip_uint64_t largest_part = zip_uint64_t(1) << 30;  // bytes, unpacked
constexpr std::size_t most_columns = 16384, most_rows = 1048576;

struct Zip {
  explicit Zip(const std::string& file) : archive(zip_open(file.c_str(), ZIP_RDONLY, nullptr), zip_discard) {
    if (!archive) throw std::runtime_error("it is no spreadsheet, or cannot be read");
  }
  /// The whole of one part; empty if there is none.
  std::string part(const std::string& name) const {
    zip_stat_t stat;
    if (zip_stat(archive.get(), name.c_str(), ZIP_FL_NOCASE, &stat) != 0) return "";
    if (stat.size > largest_part) throw std::runtime_error("a part of it is larger than 1 GiB");
    const std::unique_ptr<zip_file_t, decltype(&zip_fclose)> file(
        zip_fopen_index(archive.get(), stat.index, 0), zip_fclose);
    if (!file) throw std::runtime_error("a part of it cannot be read (is it protected by a password?)");
    std::string out(stat.size, '\0');
    if (zip_fread(file.get(), out.data(), stat.size) != zip_int64_t(stat.size))
      throw std::runtime_error("it is damaged");
    return out;
  }
  std::unique_ptr<zip_t, decltype(&zip_discard)> archive;
};

pugi::xml_document parsed(const std::string& text) {
  pugi::xml_document out;
  if (!out.load_buffer(text.data(), text.size(), pugi::parse_default | pugi::parse_ws_pcdata_single))
    throw std::runtime_error("a part of it is no XML");
  return out;
}

std::string attribute(const pugi::xml_node& node, const char* local) {
  for (const pugi::xml_attribute& a : node.attributes()) {
    const std::string name = a.name();
    if (name == local || name.ends_with(std::string(":") + local)) return a.value();
  }
  return "";
}

/// The part that holds a sheet (empty: the first); empty if there is none of that name.
std::string part_of_sheet(const Zip& zip, const std::string& name, std::vector<std::string>& names) {
  const pugi::xml_document book = parsed(zip.part("xl/workbook.xml"));
  std::string id;
  for (const pugi::xml_node& sheet : book.child("workbook").child("sheets").children("sheet")) {
    names.push_back(sheet.attribute("name").value());
    if (name.empty() ? names.size() == 1 : names.back() == name) id = attribute(sheet, "id");
  }
  if (names.empty()) throw std::runtime_error("it has no sheet");
  if (id.empty()) return "";
  const pugi::xml_document links = parsed(zip.part("xl/_rels/workbook.xml.rels"));
  for (const pugi::xml_node& link : links.child("Relationships").children())
    if (id == link.attribute("Id").value()) {
      const std::string target = link.attribute("Target").value();
      return target.starts_with('/') ? target.substr(1) : "xl/" + target;
    }
  throw std::runtime_error("its sheet is missing");
}

/// All text of a string item, plain or in runs of different fonts; how it is spoken (rPh) is left out.
std::string text_of(const pugi::xml_node& item) {
  std::string out = item.child("t").text().get();
  for (const pugi::xml_node& run : item.children("r")) out += run.child("t").text().get();
  return out;
}

/// "BC12" is column 54, from 0.
std::size_t column_of(const char* reference) {
  std::size_t out = 0;
  for (; *reference >= 'A' && *reference <= 'Z'; ++reference)
    out = out * 26 + std::size_t(*reference - 'A' + 1);
  return out == 0 ? 0 : out - 1;
}

std::string cell_text(const pugi::xml_node& cell, const std::vector<std::string>& shared) {
  const std::string type = cell.attribute("t").value(), value = cell.child("v").text().get();
  if (type == "inlineStr") return text_of(cell.child("is"));
  if (type != "s") return value;
  const std::size_t i = std::strtoul(value.c_str(), nullptr, 10);
  if (i >= shared.size()) throw std::runtime_error("a cell names a text that is not there");
  return shared[i];
}

Rows rows_of_sheet(const std::string& file, const std::string& name, std::vector<std::string>& names) {
  const Zip zip(file);
  const std::string part = part_of_sheet(zip, name, names);
  if (part.empty()) return {};
  const std::string shared_text = zip.part("xl/sharedStrings.xml");
  std::vector<std::string> shared;
  if (!shared_text.empty()) {
    const pugi::xml_document strings = parsed(shared_text);
    for (const pugi::xml_node& item : strings.child("sst").children("si")) shared.push_back(text_of(item));
  }
  const std::string text = zip.part(part);
  if (text.empty()) throw std::runtime_error("its sheet is missing");
  const pugi::xml_document sheet = parsed(text);
  Rows out;
  for (const pugi::xml_node& row : sheet.child("worksheet").child("sheetData").children("row")) {
    const std::size_t number = row.attribute("r").as_uint(unsigned(out.size() + 1));
    if (number == 0 || number > most_rows) throw std::runtime_error("a row has a number that no sheet has");
    if (number > out.size()) out.resize(number);
    std::vector<std::string>& cells = out[number - 1];
    for (const pugi::xml_node& cell : row.children("c")) {
      const char* reference = cell.attribute("r").value();
      const std::size_t column = *reference ? column_of(reference) : cells.size();
      if (column >= most_columns) throw std::runtime_error("a cell lies in a column that no sheet has");
      if (column >= cells.size()) cells.resize(column + 1);
      cells[column] = cell_text(cell, shared);
    }
  }
  return out;
}

std::string read(const std::string& file, const std::string& sheet, renth::SheetRead& out) {
  try {
    out.rows = rows_of_sheet(file, sheet, out.sheets);
    return "";
  } catch (const std::exception& e) {
    return e.what();
  }
}

/// A name that a sheet may have: 31 characters, none of []:*?/\, no other like it.
std::string sheet_name(const std::string& name, std::set<std::string>& taken) {
  std::string out;
  for (const char c : name) out += std::string_view("[]:*?/\\'").find(c) == std::string_view::npos ? c : '_';
  if (out.empty()) out = "sheet";
  out = out.substr(0, 28);
  std::string one = out;
  for (int i = 2; !taken.insert(one).second; ++i) one = out + "-" + std::to_string(i);
  return one;
}

std::string write(const std::string& file, const std::vector<renth::SheetToWrite>& sheets) {
  lxw_workbook* book = workbook_new(file.c_str());
  if (!book) return "not enough memory";
  lxw_doc_properties properties{};
  properties.created = 946684800;  // the same runs, the same bytes
  workbook_set_properties(book, &properties);
  lxw_format* bold = workbook_add_format(book);
  format_set_bold(bold);
  std::set<std::string> taken;
  for (const renth::SheetToWrite& sheet : sheets) {
    lxw_worksheet* page = workbook_add_worksheet(book, sheet_name(sheet.name, taken).c_str());
    if (!page) continue;
    worksheet_freeze_panes(page, 1, 0);
    for (std::size_t c = 0; c < sheet.header.size(); ++c) {
      worksheet_write_string(page, 0, lxw_col_t(c), sheet.header[c].c_str(), bold);
      worksheet_set_column(page, lxw_col_t(c), lxw_col_t(c),
                           double(std::max<std::size_t>(9, sheet.header[c].size() + 2)), nullptr);
    }
    for (std::size_t r = 0; r < sheet.rows.size(); ++r)
      for (std::size_t c = 0; c < sheet.rows[r].size(); ++c) {
        const auto& cell = sheet.rows[r][c];
        if (const auto* number = std::get_if<double>(&cell); number && std::isfinite(*number))
          worksheet_write_number(page, lxw_row_t(r + 1), lxw_col_t(c), *number, nullptr);
        else if (const auto* words = std::get_if<std::string>(&cell))
          worksheet_write_string(page, lxw_row_t(r + 1), lxw_col_t(c), words->c_str(), nullptr);
      }
  }
  const lxw_error error = workbook_close(book);
  return error == LXW_NO_ERROR ? "" : lxw_strerror(error);
}

}  // namespace

extern "C" const renth::SheetsModule renth_sheets;
const renth::SheetsModule renth_sheets = {read, write};
