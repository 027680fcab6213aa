#include <doctest/doctest.h>

#include <fstream>
#include <functional>
#include <renth/base/error.hpp>
#include <renth/base/text.hpp>
#include <renth/document/text_table.hpp>
#include <renth/table/table_file.hpp>
#include <sstream>
#include <support_files.hpp>

using namespace renth;
using namespace renth::test;

TEST_CASE("tables of every dialect are read alike") {
  for (const char* text : {"a,b\n1.5,x\n2,y\n",
                           "\xef\xbb\xbf"
                           "a;b\r\n1,5;x\r\n2;y\r\n",
                           "a\tb\n1.5\tx\n2\ty", "\"a\",\"b\"\n1.5,\"x\"\n\n2 , y \n"}) {
    CAPTURE(text);
    const TableFile t = parse_table(text, "f");
    CHECK(t.header == std::vector<std::string>{"a", "b"});
    REQUIRE(t.rows.size() == 2);
    CHECK(cell_number(t.rows[0].cells[0]) == 1.5);
    CHECK(t.rows[1].cells[1] == "y");
  }
}

TEST_CASE("rows know their line, and quoted cells may hold anything") {
  const TableFile t = parse_table("a,b\n1,\"say \"\"no\"\", twice\"\n\n3,4\n", "f");
  CHECK(t.rows[0].cells[1] == "say \"no\", twice");
  CHECK(t.rows[0].line == 2);
  CHECK(t.rows[1].line == 4);
}

TEST_CASE("what is no table is refused with its line") {
  CHECK_THROWS_WITH_AS(parse_table("", "f"), doctest::Contains("empty"), Error);
  CHECK_THROWS_WITH_AS(parse_table(" \n\n", "f"), doctest::Contains("empty"), Error);
  CHECK_THROWS_WITH_AS(parse_table("a,b\n1,2\n1,2,3\n", "f"), doctest::Contains("f:3"), Error);
  CHECK_THROWS_WITH_AS(parse_table("a,a\n1,2\n", "f"), doctest::Contains("two columns"), Error);
  CHECK_THROWS_WITH_AS(parse_table("a,,c\n1,2,3\n", "f"), doctest::Contains("no name"), Error);
}

TEST_CASE("numbers are numbers and nothing else") {
  CHECK(cell_number("-1e-3") == -1e-3);
  CHECK(cell_number("+4") == 4);
  for (const char* text : {"", "1,5", "1.5 kg", "x", "--1"}) CHECK_FALSE(cell_number(text).has_value());
}

TEST_CASE("printed numbers keep the digits they deserve and align on the point") {
  CHECK(pretty(1234.5678) == "1235");
  CHECK(pretty(0.00123456) == "0.001235");
  CHECK(pretty(NAN) == "–");
  TextTable t({"x", "y"});
  t.text("a").number(1.5).end_row();
  t.text("bb").number(-22.25).end_row();
  std::istringstream lines(t.str());
  std::string header, rule, first, second;
  for (std::string* line : {&header, &rule, &first, &second}) std::getline(lines, *line);
  CHECK(first.find("1.50") != std::string::npos);
  CHECK(first.find('.') == second.find('.'));
  CHECK(first.size() == second.size());
  TextTable nought({"error"});
  nought.number(-0.02, 2).end_row();
  nought.number(11, 2).end_row();
  CHECK(nought.str().find("-0") == std::string::npos);
  CHECK(nought.str().find('0') != std::string::npos);
}

TEST_CASE("a table from western Windows is read as what it shows, and bytes never break a document") {
  const TableFile t = parse_table("H\xf6he;Preis \x80\n1;2\n", "f");
  CHECK(t.header == std::vector<std::string>{"Höhe", "Preis €"});
  CHECK(parse_table("Höhe\n1\n", "f").header[0] == "Höhe");
  CHECK(is_valid_utf8(parse_table("a\xff\xfe\x81\n1\n", "f").header[0]));
  // Half a surrogate pair in UTF-16.
  CHECK(is_valid_utf8(parse_table(std::string("\xff\xfe\x00\xd8\x0a\x00\x31\x00", 8), "f").header[0]));
}

TEST_CASE("a cell that a spreadsheet would work out is a text there, and here again what it was") {
  for (const std::string text :
       {"=1+1", "+cmd", "-x", "@SUM(A1)", "'=1", "''=1", "=\"a,b\"", "-", "'", "it's", "'a"}) {
    CAPTURE(text);
    const std::string cell = csv_cell(text);
    CHECK(std::string("=+-@").find(cell[cell[0] == '"']) == std::string::npos);
    CHECK(parse_table("a,b\n" + cell + ",1\n", "f").rows[0].cells[0] == text);
  }
  for (const std::string number : {"-1.5", "+3e4", "0.1"}) CHECK(csv_cell(number) == number);
}

TEST_CASE("a table in parts is the same table, row for row, and wrong rows are told by their line") {
  const Scratch scratch;
  const std::string file = (scratch.path / "t.csv").string();
  std::string text = "a;b\n";
  for (int i = 0; i < 1000; ++i)
    text += (i % 7 == 0 ? "\n" : "") + std::to_string(i) + ",5;\"x;" + std::to_string(i) + "\"\n";
  std::ofstream(file) << text;
  const TableFile whole = read_table(file);
  std::vector<TableFile::Row> rows;
  int parts = 0;
  read_table_in_parts(file, 64, [&](TableFile& part) {
    CHECK(part.header == whole.header);
    CHECK(part.rows.size() <= 64);
    ++parts;
    for (TableFile::Row& row : part.rows) rows.push_back(std::move(row));
  });
  CHECK(parts == 16);
  REQUIRE(rows.size() == whole.rows.size());
  for (std::size_t i = 0; i < rows.size(); ++i) {
    CHECK(rows[i].cells == whole.rows[i].cells);
    CHECK(rows[i].line == whole.rows[i].line);
  }
  CHECK(rows[8].cells[0] == "8.5");
  std::ofstream(file) << text << "1;2;3\n";
  const auto error = [&](const std::function<void()>& read) {
    try {
      read();
    } catch (const Error& e) {
      return std::string(e.what());
    }
    return std::string();
  };
  CHECK(error([&] { read_table(file); }) == error([&] { read_table_in_parts(file, 64, [](TableFile&) {}); }));
  std::ofstream(file) << "a,b\n";
  parts = 0;
  read_table_in_parts(file, 64, [&](TableFile& part) { parts += part.rows.empty(); });
  CHECK(parts == 1);
}
