// Results as text for a terminal: the sentence that matters first, then figures, then the next step.
#pragma once
#include <renth/study/results.hpp>
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

/// A number with this many significant digits, as people write it.
std::string pretty(double value, int digits = 4);

/// "note: …" lines.
std::string notes_of(const Notes& notes);
/// "radius [m]".
std::string with_unit(const std::string& name, const std::string& unit);
/// The same for each parameter.
std::vector<std::string> parameter_headers(const Study& study);
void add_point(TextTable& table, const Study& study, const Eigen::VectorXd& point);

std::string to_table(const Study& study, const PlanResult& result);
std::string to_table(const Study& study, const AssessResult& result);
std::string to_table(const Study& study, const RunsResult& result);
std::string to_table(const Study& study, const RunSummary& result);
std::string to_table(const Study& study, const DryRun& result);
std::string to_table(const Study& study, const JournalResult& result);
std::string to_table(const Study& study, const FailuresResult& result);
std::string to_table(const Study& study, const SampleCheck& result);
std::string to_table(const Study& study, const FitResult& result);
std::string to_table(const Study& study, const TrustResult& result);
std::string to_table(const Study& study, const RefineResult& result);
std::string to_table(const Study& study, const RankResult& result);
std::string to_table(const Study& study, const PredictResult& result);
std::string to_table(const Study& study, const ExtremesResult& result);
std::string to_table(const Study& study, const SeekOutcome& result);
std::string to_table(const Study& study, const ConfirmResult& result);
std::string to_table(const Study& study, const CheckResult& result);

}  // namespace renth
