// A polynomial's values at many points, fast.
#pragma once
#include <renth/numeric/kernels.hpp>
#include <renth/terms/terms.hpp>

namespace renth {

/// Σ β_t · term t in coded units and contrasts, terms that begin alike multiplied out together: one
/// multiplication and addition a term, where the model matrix costs a column of memory (W. G. Horner,
/// Philosophical Transactions of the Royal Society 109, 1819, in several variables).
class NestedSum {
 public:
  NestedSum(const Space& space, const Terms& terms, const Eigen::VectorXd& beta);

  /// \param points  m × d, natural, checked. \returns m values; those of a point do not depend on the others.
  Eigen::VectorXd operator()(Points points) const;

 private:
  struct Column {
    Eigen::Index parameter = 0;
    double low = 0, high = 0, per = 0;  ///< of a number
    Eigen::VectorXd contrast;           ///< of a choice: its value for each
  };
  std::vector<Column> columns_;
  std::vector<kernels::NestedStep> steps_;
};

}  // namespace renth
