// Least squares on a changing subset of columns, one term in or out at a time.
#pragma once
#include <algorithm>
#include <optional>
#include <renth/fit/regression.hpp>
#include <string>
#include <vector>

namespace renth {

/// Columns that go in and out together: a term, or all contrasts of a choice in it.
struct TermUnit {
  std::string name;
  std::vector<std::size_t> terms;     ///< of the candidates
  std::vector<Eigen::Index> columns;  ///< of the regression
  std::vector<std::size_t> parents;   ///< units that strong heredity needs: one power less in one factor
  bool forced = false;                ///< always in
};

/// Units of a regression's terms, the constant not among them. Without heredity none has parents.
std::vector<TermUnit> term_units(const Space& space, const Regression& design, bool heredity = true);

/// The cross-products of R and Rᵀy, swept for the columns that are in (A. E. Beaton, 1964; J. H. Goodnight,
/// The American Statistician 33, 1979), in extended precision; a column in or out costs p². If asked, the
/// rows of the runs are swept along, n·p a column, and give the predicted residual sum of squares of every
/// neighbour model at n operations a column.
class SubsetModel {
 public:
  using Units = std::vector<std::size_t>;
  /// The constant and the blocks are in from the start.
  /// \param rows  sweep the runs too, for press().
  SubsetModel(const Regression& design, std::vector<TermUnit> units, bool rows);

  const std::vector<TermUnit>& units() const { return units_; }
  /// A unit that the runs cannot tell from those before it is in by name, and changes nothing.
  bool has(std::size_t unit) const { return in_[unit]; }
  void add(std::size_t unit) { turn(unit, true); }
  void drop(std::size_t unit) { turn(unit, false); }
  /// What the residual sum of squares loses if these units come in together, or gains if they go; NaN for
  /// some that the runs cannot tell from those that are in. All are in or all out.
  double change(const Units& units) const;
  /// A unit in the model that has this one as a parent; none if there is no such.
  std::optional<std::size_t> needed_by(std::size_t unit) const;
  /// Coefficients, and the inverse of the cross-products, of columns that are in.
  Eigen::VectorXd coefficients(const std::vector<Eigen::Index>& columns) const;
  Eigen::MatrixXd inverse(const std::vector<Eigen::Index>& columns) const;
  /// F-test of that change; NaN without residual degrees of freedom.
  double p_value(const Units& units) const;
  /// The same of more units out, given that the first of them come in anyway.
  double p_value_beyond(const Units& anyway, const Units& all) const;
  /// Residual sum of squares; below 4e-15 of the total it is nothing but the rounding of R, and that is
  /// given.
  double sse() const { return std::max(double(a_(last(), last())), 4e-15 * sst_); }
  double sst() const { return sst_; }
  Eigen::Index size() const { return size_; }  ///< columns that are in
  double runs() const { return double(y_.size()); }
  /// PRESS of the model, and with these units turned; NaN where a run decides its own prediction.
  double press() const;
  double press_if_turned(const Units& units) const;
  Eigen::Index columns_of(const Units& units) const { return Eigen::Index(columns(units).size()); }

 private:
  std::vector<Eigen::Index> columns(const Units& units) const;
  Eigen::Index last() const { return a_.cols() - 1; }
  /// Degrees of freedom of the error that units are judged by, once `more` of their columns are in.
  double freedom_of(const Units& units, double more) const;
  void turn(std::size_t unit, bool in);
  void sweep(Eigen::Index column, bool in);
  std::vector<TermUnit> units_;
  std::vector<bool> in_;
  Eigen::Matrix<long double, Eigen::Dynamic, Eigen::Dynamic> a_;  // (p + 1)², last: y
  Eigen::VectorXd diagonal_;                                      // of XᵀX
  std::vector<bool> column_in_;
  Eigen::Index size_ = 0;
  Eigen::MatrixXd rows_;                // n × p: residuals of columns out, duals of columns in
  Eigen::VectorXd y_, residual_, hat_;  // n, weighted
  double sst_ = 0;
  std::vector<bool> between_;  // columns that change between whole plots alone; empty: no plots
  double plots_ = 0;
};

}  // namespace renth
