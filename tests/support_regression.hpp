// Published data and slow references for regressions.
#pragma once
#include <Eigen/Dense>
#include <renth/fit/regression.hpp>
#include <renth/numeric/random.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/terms/terms.hpp>
#include <support.hpp>

namespace renth::test {

/// J. W. Longley, Journal of the American Statistical Association 62, 1967: employment on six columns that
/// nearly depend on one another. Parameters span what occurs.
inline std::pair<Space, Data> longley() {
  Eigen::MatrixXd table(16, 7);
  table << 60323, 83.0, 234289, 2356, 1590, 107608, 1947,  //
      61122, 88.5, 259426, 2325, 1456, 108632, 1948,       //
      60171, 88.2, 258054, 3682, 1616, 109773, 1949,       //
      61187, 89.5, 284599, 3351, 1650, 110929, 1950,       //
      63221, 96.2, 328975, 2099, 3099, 112075, 1951,       //
      63639, 98.1, 346999, 1932, 3594, 113270, 1952,       //
      64989, 99.0, 365385, 1870, 3547, 115094, 1953,       //
      63761, 100.0, 363112, 3578, 3350, 116219, 1954,      //
      66019, 101.2, 397469, 2904, 3048, 117388, 1955,      //
      67857, 104.6, 419180, 2822, 2857, 118734, 1956,      //
      68169, 108.4, 442769, 2936, 2798, 120445, 1957,      //
      66513, 110.8, 444546, 4681, 2637, 121950, 1958,      //
      68655, 112.6, 482704, 3813, 2552, 123366, 1959,      //
      69564, 114.2, 502601, 3931, 2514, 125368, 1960,      //
      69331, 115.7, 518173, 4806, 2572, 127852, 1961,      //
      70551, 116.9, 554894, 4007, 2827, 130081, 1962;
  std::vector<Parameter> parameters;
  for (int j = 1; j < 7; ++j)
    parameters.push_back(
        continuous("x" + std::to_string(j), table.col(j).minCoeff(), table.col(j).maxCoeff()));
  return {Space(parameters), Data{table.rightCols(6), table.col(0), {}, true}};
}

/// Runs at settable places of a space, with a quadratic in everything and noise.
inline Data noisy_runs(const Space& space, int n, Seed seed, double noise = 0.3) {
  Stream stream(seed, "noise");
  return data_of(
      sample_region(space, n, Values::settable, seed, "points"),
      [&](const Eigen::VectorXd& x) {
        double y = 20;
        for (Eigen::Index j = 0; j < x.size(); ++j)
          y += (double(j) + 1) * x[j] - 0.3 * x[j] * x[j] + 0.2 * x[0] * x[j];
        return y + noise * stream.normal();
      },
      true);
}

/// Least squares by a dense solve of the columns given: coefficients and residual sum of squares.
struct SlowFit {
  Eigen::VectorXd beta;
  double sse = 0;
};
inline SlowFit slow_fit(const Eigen::MatrixXd& x, const Eigen::VectorXd& y) {
  SlowFit out;
  out.beta = Eigen::CompleteOrthogonalDecomposition<Eigen::MatrixXd>(x).solve(y);
  out.sse = (y - x * out.beta).squaredNorm();
  return out;
}
inline Eigen::MatrixXd without_row(const Eigen::MatrixXd& m, Eigen::Index row) {
  Eigen::MatrixXd out(m.rows() - 1, m.cols());
  out << m.topRows(row), m.bottomRows(m.rows() - 1 - row);
  return out;
}
inline Eigen::MatrixXd columns_but(const Eigen::MatrixXd& m, const std::vector<Eigen::Index>& out_of) {
  std::vector<Eigen::Index> kept;
  for (Eigen::Index j = 0; j < m.cols(); ++j)
    if (std::find(out_of.begin(), out_of.end(), j) == out_of.end()) kept.push_back(j);
  return m(Eigen::all, kept);
}

}  // namespace renth::test
