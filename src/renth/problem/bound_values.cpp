#include <limits>
#include <renth/problem/bound_values.hpp>

namespace renth {

BoundValues::BoundValues(const Problem& problem, Points points) : problem_(problem) {
  constexpr double missing = std::numeric_limits<double>::quiet_NaN();
  const std::size_t first = problem.first_response(), count = first + problem.responses.size();
  bindings_.numbers.setConstant(points.rows(), Eigen::Index(count), missing);
  bindings_.numbers.leftCols(points.cols()) = points;
  const std::vector<double> fixed = problem.fixed_numbers();
  for (std::size_t f = 0; f < fixed.size(); ++f)
    bindings_.numbers.col(points.cols() + Eigen::Index(f)).setConstant(fixed[f]);
  bindings_.curves.resize(count);
  for (std::size_t k = 0; k < problem.responses.size(); ++k)
    if (problem.responses[k].is_curve())
      bindings_.curves[first + k].setConstant(points.rows(), problem.outputs(problem.responses[k]), missing);
}

void BoundValues::set(int response, const Eigen::MatrixXd& values) {
  const std::size_t at = problem_.first_response() + std::size_t(response);
  if (problem_.responses[std::size_t(response)].is_curve())
    bindings_.curves[at] = values;
  else
    bindings_.numbers.col(Eigen::Index(at)) = values.col(0);
}

void BoundValues::derive_one(int response) {
  const Response& r = problem_.responses[std::size_t(response)];
  bindings_.numbers.col(Eigen::Index(problem_.first_response()) + response) = values(*r.derive);
}

void BoundValues::derive() {
  // Derived responses stand after what they use, so their order is an order of evaluation.
  for (int k = 0; k < int(problem_.responses.size()); ++k)
    if (problem_.responses[std::size_t(k)].derive) derive_one(k);
}

void BoundValues::derive(const std::vector<int>& only) {
  const int count = int(problem_.responses.size());
  std::vector<bool> needed(std::size_t(count), false);
  for (const int k : only) needed[std::size_t(k)] = true;
  for (int k = count - 1; k >= 0; --k) {
    const Response& r = problem_.responses[std::size_t(k)];
    for (int s = 0; s < k && needed[std::size_t(k)] && r.derive; ++s)
      if (r.derive->uses(problem_.first_response() + std::size_t(s))) needed[std::size_t(s)] = true;
  }
  for (int k = 0; k < count; ++k)
    if (needed[std::size_t(k)] && problem_.responses[std::size_t(k)].derive) derive_one(k);
}

Eigen::MatrixXd BoundValues::response(int response) const {
  const std::size_t at = problem_.first_response() + std::size_t(response);
  if (problem_.responses[std::size_t(response)].is_curve()) return bindings_.curves[at];
  return bindings_.numbers.col(Eigen::Index(at));
}

}  // namespace renth
