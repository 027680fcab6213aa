// Tables of text for a terminal.
#pragma once
#include <string>
#include <vector>

namespace renth {

/// Columns of text and numbers; numbers of a column share their decimals and so align on the point.
class TextTable {
 public:
  explicit TextTable(std::vector<std::string> header)
      : header_(std::move(header)), columns_(header_.size()) {}
  TextTable& text(std::string value);
  /// `digits`: significant digits of the largest number of the column.
  TextTable& number(double value, int digits = 4);
  void end_row() { next_ = 0; }
  std::string str() const;

 private:
  struct Cell {
    std::string text;
    double number = 0;
    bool is_number = false;
  };
  struct Column {
    std::vector<Cell> cells;
    int digits = 4;
  };
  std::vector<std::string> header_;
  std::vector<Column> columns_;
  std::size_t next_ = 0;
};

/// With so many decimals; what rounds to nought has no sign.
std::string fixed(double value, int decimals);

/// A number with this many significant digits, as people write it.
std::string pretty(double value, int digits = 4);

}  // namespace renth
