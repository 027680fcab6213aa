// What several tests need: spaces, published functions, data made from them.
#pragma once
#include <cmath>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/space/space.hpp>
#include <renth/surrogate/data.hpp>

namespace renth::test {

inline Space cube(int d, double low = 0, double high = 1) {
  std::vector<Parameter> parameters;
  for (int j = 0; j < d; ++j) parameters.push_back(continuous("x" + std::to_string(j + 1), low, high));
  return Space(parameters);
}
/// Everything at once: a span, steps, levels, and a choice of three.
inline Space mixed() {
  Parameter step = continuous("step", 1, 3);
  step.step = 0.1;
  step.nominal = 2;
  return Space(
      {continuous("a", -2, 5), step, levels("n", {0, 2, 4, 8}), choice("kind", {"red", "green", "blue"})});
}

/// T. Ishigami and T. Homma, 1990, with a = 7, b = 0.1 on (−π, π)³.
inline double ishigami(double a, double b, double c) {
  return std::sin(a) + 7 * std::pow(std::sin(b), 2) + 0.1 * std::pow(c, 4) * std::sin(a);
}

/// A Latin hypercube (runs × d) whose points keep apart, found without the long search that the last per cent
/// takes: what tests of surrogates need.
inline Eigen::MatrixXd spread_out(const Space& space, int runs, Seed seed) {
  return latin_hypercube(space, {.runs = runs, .effort = 0.02}, seed).points;
}

template <class F>
Data data_of(const Eigen::MatrixXd& points, const F& f, bool noisy = false) {
  Data data{points, Eigen::MatrixXd(points.rows(), 1), {}, noisy};
  for (Eigen::Index i = 0; i < points.rows(); ++i)
    data.outputs(i, 0) = f(Eigen::VectorXd(points.row(i).transpose()));
  return data;
}

}  // namespace renth::test
