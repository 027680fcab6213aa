#include <fuzz.hpp>
#include <renth/table/table_file.hpp>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
  using namespace renth;
  return fuzz::answers([&] {
    const TableFile table = parse_table(std::string(fuzz::text_of(bytes, size)), "f");
    for (const TableFile::Row& row : table.rows) {
      if (row.cells.size() != table.header.size()) __builtin_trap();
      for (const std::string& cell : row.cells) {
        if (!is_valid_utf8(cell)) __builtin_trap();
        // What is written comes back the same, unless it is a number with a decimal comma.
        const std::string again = parse_table("x,y\n" + csv_cell(cell) + ",1\n", "f").rows.at(0).cells.at(0);
        if (again != cell && !cell_number(again)) __builtin_trap();
      }
    }
  });
}
