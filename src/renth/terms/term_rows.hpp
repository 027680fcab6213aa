// Terms at one point after another, changing one coordinate at a time: the inner loop of exchange searches.
#pragma once
#include <Eigen/Core>
#include <renth/terms/terms.hpp>
#include <vector>

namespace renth {

/// Evaluates a row of the model matrix in coded coordinates (a choice is its index), and only the part
/// of it that one coordinate changes.
class TermRows {
 public:
  TermRows(const Space& space, const Terms& terms);
  Eigen::Index size() const { return count_; }

  /// All p terms at a coded point (d) into `row`.
  void fill(const double* coded, double* row) const;
  /// The terms that contain this parameter, ascending.
  const std::vector<int>& with(Eigen::Index parameter) const { return with_[std::size_t(parameter)]; }
  /// For each of with(parameter): the product of its other factors.
  void others(const double* coded, Eigen::Index parameter, double* out) const;
  /// For each of with(parameter): its own factor at coded value x.
  void factors(Eigen::Index parameter, double x, double* out) const;

 private:
  double factor(int parameter, int power, int choice, double x) const;
  struct Part {
    int parameter, power, choice;
  };
  Eigen::Index count_ = 0;
  std::vector<std::vector<Part>> parts_;         // of each term
  std::vector<std::vector<int>> with_;           // of each parameter
  std::vector<Eigen::MatrixXd> contrast_table_;  // of each parameter; empty for numbers
};

}  // namespace renth
