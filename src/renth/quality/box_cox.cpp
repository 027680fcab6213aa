#include <algorithm>
#include <cmath>
#include <renth/numeric/distributions.hpp>
#include <renth/quality/box_cox.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/transform.hpp>

namespace renth {
namespace {

/// Where the line through two points reaches `level`.
double crossing(const BoxCox::Point& a, const BoxCox::Point& b, double level) {
  return a.lambda +
         (b.lambda - a.lambda) * (level - a.log_likelihood) / (b.log_likelihood - a.log_likelihood);
}

}  // namespace

std::optional<BoxCox> box_cox(const Space& space, const Data& data, const Terms& terms, double level) {
  if (data.size() == 0 || !(data.outputs.col(0).minCoeff() > 0)) return std::nullopt;
  const Regression design = regression_design(space, data, terms);
  if (!(design.degrees_of_freedom() > 0) || (design.r.diagonal().array() <= 0).any()) return std::nullopt;
  const double n = double(data.size()), logs = data.outputs.col(0).array().log().sum();
  const Eigen::MatrixXd q =
      design.r.transpose().triangularView<Eigen::Lower>().solve(design.x.transpose()).transpose();
  const auto likelihood = [&](double lambda) {
    Eigen::VectorXd z = data.outputs.col(0);
    const Transform transform{lambda};
    for (double& v : z) v = transform.forward(v);
    if (design.constant) z.array() -= z.mean();  // else the constant part is the model's to explain
    z = z.cwiseProduct(design.root);
    for (int pass = 0; pass < 2; ++pass) z -= q * (q.transpose() * z);
    return -0.5 * n * std::log(z.squaredNorm() / n) + (lambda - 1) * logs;
  };
  BoxCox out;
  for (int i = -20; i <= 20; ++i) out.profile.push_back({i / 10.0, likelihood(i / 10.0)});
  const auto top = std::max_element(out.profile.begin(), out.profile.end(), [](const auto& a, const auto& b) {
    return a.log_likelihood < b.log_likelihood;
  });
  // The top of the parabola through the best three.
  out.lambda = top->lambda;
  double best = top->log_likelihood;
  if (top != out.profile.begin() && top + 1 != out.profile.end()) {
    const double before = (top - 1)->log_likelihood, after = (top + 1)->log_likelihood;
    out.lambda += 0.05 * (before - after) / (before - 2 * best + after);
    best = std::max(best, likelihood(out.lambda));
  }
  const double within = best - 0.5 * chi_squared_quantile(level, 1);
  out.low = out.profile.front().lambda;
  out.high = out.profile.back().lambda;
  for (auto p = top; p != out.profile.begin(); --p)
    if ((p - 1)->log_likelihood < within) {
      out.low = crossing(*(p - 1), *p, within);
      break;
    }
  for (auto p = top; p + 1 != out.profile.end(); ++p)
    if ((p + 1)->log_likelihood < within) {
      out.high = crossing(*p, *(p + 1), within);
      break;
    }
  out.suggestion = std::round(out.lambda * 10) / 10;
  for (const double simple : {1.0, 0.0, 0.5, -1.0, -0.5, 2.0})
    if (simple >= out.low && simple <= out.high) {
      out.suggestion = simple;
      break;
    }
  out.likelihood_of_suggestion = likelihood(out.suggestion);
  return out;
}

}  // namespace renth
