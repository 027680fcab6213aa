// A search in which the scatter of the settings is part of what is sought.
#pragma once
#include <memory>
#include <renth/search/centring.hpp>
#include <renth/search/sought.hpp>
#include <renth/workflow/tolerancing.hpp>
#include <string>

namespace renth {

/// Draws round each setting, the same for all.
class RobustSearch {
 public:
  /// \throws Error  no parameter has scatter.
  RobustSearch(Session& session, const FittedStudy& fitted, Seed seed, Notes& notes);

  /// Are there accept limits that make a yield?
  bool has_yield() const { return production_ != nullptr; }

  /// Changes a problem: its responses become means over the draws. With accept limits, which it must not
  /// have as constraints, the yield comes first: the largest is sought, and a constraint keeps it to within a
  /// hundredth. Without them goals are made worse by one standard deviation of what is drawn. \param columns
  /// of its responses; the yield's comes after them.
  void change(SeekProblem& problem, std::size_t& columns, const MaximiseOptions& search, Notes& notes);

 private:
  const Study& study_;
  ScatterDraw draw_;
  Seed seed_;
  Eigen::MatrixXd units_;
  std::unique_ptr<ProductionModel> production_;
  std::unique_ptr<SmoothYield> yield_;
};

}  // namespace renth
