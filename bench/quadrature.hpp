// Indices of a function without sampling: products of Gauss rules.
#pragma once
#include <Eigen/Eigenvalues>
#include <cmath>
#include <functional>
#include <vector>

namespace renth::bench {

/// Nodes of one input, natural, with weights that add up to 1.
struct GaussRule {
  Eigen::VectorXd nodes, weights;
};

/// Nodes are eigenvalues of the recurrence's matrix: G. H. Golub and J. H. Welsch, Mathematics of Computation
/// 23, 1969.
inline GaussRule gauss(int count, const std::function<double(int)>& off_diagonal) {
  Eigen::MatrixXd jacobi = Eigen::MatrixXd::Zero(count, count);
  for (int k = 1; k < count; ++k) jacobi(k, k - 1) = off_diagonal(k);
  const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> of(jacobi);
  return {of.eigenvalues(), of.eigenvectors().row(0).transpose().array().square()};
}

inline GaussRule uniform_rule(int count, double low, double high) {
  GaussRule rule = gauss(count, [](int k) { return k / std::sqrt(4.0 * k * k - 1); });
  rule.nodes = (0.5 * (low + high) + 0.5 * (high - low) * rule.nodes.array()).matrix();
  return rule;
}

inline GaussRule normal_rule(int count, double mean, double deviation) {
  GaussRule rule = gauss(count, [](int k) { return std::sqrt(double(k)); });
  rule.nodes = (mean + deviation * rule.nodes.array()).matrix();
  return rule;
}

/// First and total indices, with the mean and the variance.
struct Indices {
  Eigen::VectorXd first, total;
  double mean = 0, variance = 0;
};

inline Indices by_quadrature(const std::function<double(const Eigen::VectorXd&)>& f,
                             const std::vector<GaussRule>& rules) {
  const std::size_t d = rules.size();
  std::size_t size = 1;
  for (const GaussRule& r : rules) size *= std::size_t(r.nodes.size());
  std::vector<double> y(size);
  Indices out{Eigen::VectorXd(Eigen::Index(d)), Eigen::VectorXd(Eigen::Index(d))};
  std::vector<Eigen::VectorXd> given(d), count(d);  // E[f | x_j] at each node
  std::vector<double> weights(size, 1);
  for (std::size_t j = 0; j < d; ++j) given[j] = Eigen::VectorXd::Zero(rules[j].nodes.size());
  Eigen::VectorXd x{Eigen::Index(d)};
  std::vector<Eigen::Index> at(d);
  double square = 0;
  for (std::size_t i = 0; i < size; ++i) {
    std::size_t rest = i;
    for (std::size_t j = 0; j < d; ++j) {
      const auto n = std::size_t(rules[j].nodes.size());
      at[j] = Eigen::Index(rest % n);
      rest /= n;
      x[Eigen::Index(j)] = rules[j].nodes[at[j]];
      weights[i] *= rules[j].weights[at[j]];
    }
    y[i] = f(x);
    out.mean += weights[i] * y[i];
    square += weights[i] * y[i] * y[i];
    for (std::size_t j = 0; j < d; ++j) given[j][at[j]] += weights[i] * y[i] / rules[j].weights[at[j]];
  }
  out.variance = square - out.mean * out.mean;
  std::size_t stride = 1;
  for (std::size_t j = 0; j < d; ++j) {
    const auto n = std::size_t(rules[j].nodes.size());
    out.first[Eigen::Index(j)] =
        (rules[j].weights.array() * (given[j].array() - out.mean).square()).sum() / out.variance;
    // The mean variance along x_j with all others held.
    double alone = 0;
    for (std::size_t i = 0; i < size; ++i) {
      if (i / stride % n != 0) continue;
      double mean = 0, squares = 0;
      for (std::size_t k = 0; k < n; ++k) {
        const double w = rules[j].weights[Eigen::Index(k)], value = y[i + k * stride];
        mean += w * value;
        squares += w * value * value;
      }
      alone += weights[i] / rules[j].weights[0] * (squares - mean * mean);
    }
    out.total[Eigen::Index(j)] = alone / out.variance;
    stride *= n;
  }
  return out;
}

}  // namespace renth::bench
