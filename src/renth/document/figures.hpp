// Figures of a document, each listed once: what it is called, its value, and how it is shown.
#pragma once
#include <cstdint>
#include <optional>
#include <renth/document/json.hpp>
#include <renth/document/text_table.hpp>
#include <string>
#include <variant>
#include <vector>

namespace renth {

struct Figure;
/// What belongs together: the members of a JSON object, the columns of a line in print.
using Figures = std::vector<Figure>;
/// A list of like things: a JSON array, the lines of a printed table.
using Rows = std::vector<Figures>;

/// Bounds at a level; undefined if `low` is not finite.
struct Bounds {
  double low, high;
};

/// A value with its name for programs (`key`; empty: only printed), its name for people (`title`; empty: only
/// in JSON) and its unit. A group has the columns of its members in print; what is only for programs is Json.
struct Figure {
  std::string key, title;
  std::variant<double, std::int64_t, bool, std::string, Bounds, Figures, Rows, Json> value;
  int digits = 4;                         ///< significant ones of the largest number of the column in print
  std::string unit = {};                  ///< follows the title
  std::optional<double> level = {};       ///< of bounds; their title begins with it
  std::optional<std::string> shown = {};  ///< printed in place of the value
  double factor = 1;                      ///< of a number in print: 100 for per cent
  std::optional<int> decimals = {};       ///< in print; else those that the numbers of the column share

  /// The same, printed like this.
  Figure as(std::string text) && {
    shown = std::move(text);
    return std::move(*this);
  }
  /// The same with as many decimals in print as a value deserves of which this is the standard error.
  Figure known_to(double standard_error) &&;
};

Figure number(std::string key, std::string title, double value, int digits = 4, std::string unit = "");
/// A share from 0 to 1, printed in per cent.
Figure per_cent(std::string key, std::string title, double value, int digits = 3);
/// The probability of a test: four decimals, or below which it is.
Figure p_value(std::string key, std::string title, double p);
std::string p_text(double p);
Figure whole(std::string key, std::string title, std::int64_t value);
Figure text(std::string key, std::string title, std::string value);
/// Printed as "yes" and "NO", or in words of one's own.
Figure yes_no(std::string key, std::string title, bool value, std::string yes = "yes", std::string no = "NO");
/// `title` says of what they are: "of a run" becomes "95 % of a run".
Figure bounds(std::string key, std::string title, double low, double high, double level);
Figure group(std::string key, Figures members);
Figure list(std::string key, Rows rows);
/// null.
Figure nothing(std::string key);
/// What has a shape of its own, and is not printed.
Figure raw(std::string key, Json value);
/// A point: an object of settings, fixed parameters included; in print a column a varying parameter.
Figure setting(std::string key, const Problem& problem, const Eigen::VectorXd& point);

/// Of each row those with these keys, in this order; "quality.q2" is one of a group. What only other rows
/// have is a dash, what none has is left out.
Rows only(const Rows& rows, const std::vector<std::string>& keys);

Json json_of(const Figures& figures);
Json json_of(const Rows& rows);
/// The rows one after another along an axis: each key with the array of its values.
Figures along_axis(const Rows& rows);

/// A table with a line a row; the figures of the first row name the columns. Rows may come one by one, so
/// that the figures of many need not be there at once.
class FigureTable {
 public:
  void add(const Figures& row);
  std::string str() const;  ///< empty without rows
  Cells cells() const;      ///< none without rows

 private:
  std::optional<TextTable> table_;
};
std::string table_of(const Rows& rows);
Cells cells_of(const Rows& rows);
/// A table of one row, turned: a line a figure, and a column for each of several.
std::string beside_each_other(const std::vector<std::pair<std::string, Figures>>& columns);

/// "80 %".
std::string level_text(double level);

}  // namespace renth
