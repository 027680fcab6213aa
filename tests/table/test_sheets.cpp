// Spreadsheets as other programs write them: made here by hand, part by part.
#include <doctest/doctest.h>
#include <zip.h>

#include <chrono>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/table/sheets.hpp>
#include <renth/table/table_file.hpp>
#include <support_files.hpp>
#include <thread>

using namespace renth;
using namespace renth::test;

namespace {

std::string book(const Scratch& scratch, const std::vector<std::pair<std::string, std::string>>& parts) {
  const std::string file = (scratch.path / "book.xlsx").string();
  std::filesystem::remove(file);
  zip_t* archive = zip_open(file.c_str(), ZIP_CREATE, nullptr);
  for (const auto& [name, text] : parts)
    zip_file_add(archive, name.c_str(), zip_source_buffer(archive, text.data(), text.size(), 0), 0);
  zip_close(archive);
  return file;
}

const std::pair<std::string, std::string> workbook = {"xl/workbook.xml",
                                                      R"(<x:workbook xmlns:x="m" xmlns:r="r"/>)"};
const std::pair<std::string, std::string> plain_workbook = {
    "xl/workbook.xml",
    R"(<workbook xmlns:r="r"><sheets><sheet name="one" r:id="a"/><sheet name="two" r:id="b"/></sheets></workbook>)"};
const std::pair<std::string, std::string> links = {
    "xl/_rels/workbook.xml.rels",
    R"(<Relationships><Relationship Id="a" Target="worksheets/s.xml"/><Relationship Id="b" Target="/xl/worksheets/t.xml"/></Relationships>)"};
const std::pair<std::string, std::string> texts = {
    "xl/sharedStrings.xml",
    R"(<sst><si><t>a</t></si><si><r><t>gr</t></r><r><t>een</t></r><rPh><t>spoken</t></rPh></si></sst>)"};

std::string sheet(const std::string& rows) {
  return "<worksheet><sheetData>" + rows + "</sheetData></worksheet>";
}

}  // namespace

TEST_CASE("a spreadsheet: shared, rich and inline texts, blank rows, cells in any order") {
  const Scratch scratch;
  const std::string file = book(
      scratch,
      {plain_workbook,
       links,
       texts,
       {"xl/worksheets/s.xml",
        sheet(
            R"(<row r="2"><c r="B2" t="inlineStr"><is><t> b </t></is></c><c r="A2" t="s"><v>0</v></c><c r="C2" t="str"><v>hull</v></c></row>
                 <row><c r="A3"/></row>
                 <row r="5"><c><v>1.5</v></c><c><f>1/2</f><v>0.5</v></c><c t="s"><v>1</v></c></row>
                 <row r="6"><c r="A6"><v>2E-3</v></c></row>)")},
       {"xl/worksheets/t.xml", sheet(R"(<row><c t="str"><v>z</v></c></row><row><c><v>7</v></c></row>)")}});
  const TableFile table = read_table(file);
  CHECK(table.header == std::vector<std::string>{"a", "b", "hull"});
  REQUIRE(table.rows.size() == 2);
  CHECK(table.rows[0].line == 5);
  CHECK(table.rows[0].cells == std::vector<std::string>{"1.5", "0.5", "green"});
  CHECK(table.rows[1].cells == std::vector<std::string>{"2E-3", "", ""});
  CHECK(cell_number("2E-3") == 0.002);
  CHECK(table.other_sheets == std::vector<std::string>{"two"});
  CHECK(read_table(file, "two").header == std::vector<std::string>{"z"});
  CHECK_THROWS_WITH_AS(read_table(file, "three"), doctest::Contains("three"), Error);
}

TEST_CASE("damaged spreadsheets are refused, whatever is wrong with them") {
  const Scratch scratch;
  const auto refused = [&](const std::vector<std::pair<std::string, std::string>>& parts, const char* says) {
    CHECK_THROWS_WITH_AS(read_table(book(scratch, parts)), doctest::Contains(says), Error);
  };
  refused({{"hello.txt", "hello"}}, "XML");
  refused({workbook}, "no sheet");
  refused({plain_workbook, {"xl/_rels/workbook.xml.rels", "<Relationships/>"}}, "missing");
  refused({plain_workbook, links}, "missing");
  refused({plain_workbook, links, {"xl/worksheets/s.xml", "<worksheet"}}, "no XML");
  refused({plain_workbook, links, {"xl/worksheets/s.xml", sheet("")}}, "empty");
  refused(
      {plain_workbook, links, texts, {"xl/worksheets/s.xml", sheet(R"(<row><c t="s"><v>99</v></c></row>)")}},
      "not there");
  refused(
      {plain_workbook, links, {"xl/worksheets/s.xml", sheet(R"(<row r="4000000000"><c><v>1</v></c></row>)")}},
      "no sheet has");
  refused(
      {plain_workbook, links, {"xl/worksheets/s.xml", sheet(R"(<row><c r="ZZZZZZ1"><v>1</v></c></row>)")}},
      "no sheet has");
  std::string deep;
  for (int i = 0; i < 100000; ++i) deep += "<a>";
  refused({plain_workbook, links, {"xl/worksheets/s.xml", deep}}, "no XML");
}

TEST_CASE(
    "what is written is read again: numbers to the last bit, words, blanks; names that no sheet may have") {
  const Scratch scratch;
  const std::string file = (scratch.path / "out.xlsx").string();
  write_sheets(file,
               {{"a/b:c",
                 {"x [m]", "name"},
                 {{0.1, std::string("<&\">")}, {1.0 / 3, std::monostate{}}, {-1e-300, std::string("=1+1")}}},
                {"a/b:c", {"y"}, {{2.0}}}});
  const TableFile table = read_table(file);
  CHECK(table.header == std::vector<std::string>{"x [m]", "name"});
  CHECK(cell_number(table.rows[0].cells[0]) == 0.1);
  CHECK(cell_number(table.rows[1].cells[0]) == 1.0 / 3);
  CHECK(cell_number(table.rows[2].cells[0]) == -1e-300);
  CHECK(table.rows[0].cells[1] == "<&\">");
  CHECK(table.rows[2].cells[1] == "=1+1");
  CHECK(table.other_sheets.size() == 1);
  write_sheets(file, {{"a", {"x"}, {{0.1}, {INFINITY}, {NAN}}}});
  CHECK(read_table(file).rows.size() == 1);  // what is no number is blank
  const std::string once = slurp(file);
  std::this_thread::sleep_for(std::chrono::milliseconds(1100));
  write_sheets(file, {{"a", {"x"}, {{0.1}, {INFINITY}, {NAN}}}});
  CHECK(slurp(file) == once);
  CHECK_THROWS_AS(write_sheets("/no/such/place.xlsx", {}), Error);
}
