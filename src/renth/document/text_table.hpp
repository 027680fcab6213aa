// Tables of text for a terminal.
#pragma once
#include <optional>
#include <string>
#include <vector>

namespace renth {

/// A table as it is shown, cell by cell.
struct Cells {
  std::vector<std::string> header;
  std::vector<bool> numeric;  ///< columns that are set to the right
  std::vector<std::vector<std::string>> rows;
};

/// Columns of text, numbers and intervals. Numbers of a column align on the point; they share their decimals
/// unless they say how many they deserve.
class TextTable {
 public:
  explicit TextTable(std::vector<std::string> header)
      : header_(std::move(header)), columns_(header_.size()) {}
  TextTable& text(std::string value);
  /// \param digits    significant digits of the largest number of the column.
  /// \param decimals  of this number, whatever the others have.
  TextTable& number(double value, int digits = 4, std::optional<int> decimals = std::nullopt);
  /// "low … high"; "undefined" if `low` is not finite. Parameters as of number().
  TextTable& interval(double low, double high, int digits = 4, std::optional<int> decimals = std::nullopt);
  void end_row() { next_ = 0; }
  Cells cells() const;
  std::string str() const;

 private:
  struct Cell {
    std::string text;
    std::vector<double> numbers;  ///< none of text, two of an interval
    std::optional<int> decimals;
  };
  struct Column {
    std::vector<Cell> cells;
    int digits = 4;
    std::vector<std::string> shown() const;
  };
  std::vector<std::string> header_;
  std::vector<Column> columns_;
  std::size_t next_ = 0;
};

/// With so many decimals; what rounds to nought has no sign.
std::string fixed(double value, int decimals);

/// Decimals that a value known this well deserves: two significant digits of its standard error (JCGM
/// 100:2008, "Guide to the expression of uncertainty in measurement", 7.2.6), but no more than six of the
/// value; without an error those that make so many digits of the value, and none of a whole number.
int deserved_decimals(double value, double standard_error, int digits = 4);

/// A number with this many significant digits, as people write it.
std::string pretty(double value, int digits = 4);

}  // namespace renth
