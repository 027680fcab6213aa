// Everything that expressions may use, at many points.
#pragma once
#include <renth/problem/problem.hpp>
#include <vector>

namespace renth {

/// Values of the symbols of a problem at m points: parameters from the start, responses as they are set;
/// derived ones are worked out from those. What was not set is NaN.
class BoundValues {
 public:
  /// \param points  m × d, natural units.
  BoundValues(const Problem& problem, Points points);

  /// \param values  m × q: one column, or one an axis point.
  void set(int response, const Eigen::MatrixXd& values);
  /// Works out all derived responses, or those of `only` and what they need; NaN where undefined.
  void derive();
  void derive(const std::vector<int>& only);

  /// m × q values of a response.
  Eigen::MatrixXd response(int response) const;
  /// The numbers, or margins, of an expression over Problem::symbols(); NaN where undefined.
  Eigen::VectorXd values(const Expression& expression) const { return expression.values(bindings_); }

 private:
  void derive_one(int response);
  const Problem& problem_;
  ManyBindings bindings_;
};

}  // namespace renth
