#include <algorithm>
#include <boost/math/tools/minima.hpp>
#include <boost/math/tools/toms748_solve.hpp>
#include <cmath>
#include <cstdint>
#include <functional>
#include <renth/numeric/dense.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/quality/box_cox.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/transform.hpp>
#include <tuple>
#include <utility>

namespace renth {
namespace {

using Likelihood = std::function<double(double)>;

/// The largest value between the neighbours of the best of the profile.
double likeliest(const Likelihood& likelihood, const std::vector<BoxCox::Point>& profile, std::size_t best) {
  const double from = profile[best == 0 ? 0 : best - 1].lambda,
               to = profile[std::min(best + 1, profile.size() - 1)].lambda;
  constexpr int bits = 28;  // of a maximum no more than half of the digits can be had
  const double at =
      boost::math::tools::brent_find_minima([&](double l) { return -likelihood(l); }, from, to, bits).first;
  // At an end of the profile it may be larger than inside.
  const double there = profile[best].lambda;
  return likelihood(there) > likelihood(at) ? there : at;
}

/// Where the likelihood crosses `level` between two λ.
double crossing(const Likelihood& likelihood, double a, double b, double level) {
  std::uintmax_t steps = 100;
  const auto [low, high] =
      boost::math::tools::toms748_solve([&](double l) { return likelihood(l) - level; }, std::min(a, b),
                                        std::max(a, b), boost::math::tools::eps_tolerance<double>(40), steps);
  return (low + high) / 2;
}

/// Where the likelihood is within half of the χ² quantile of its top; no further than the profile goes.
std::pair<double, double> interval(const Likelihood& likelihood, const BoxCox& found, double level) {
  const double within = likelihood(found.lambda) - 0.5 * chi_squared_quantile(level, 1);
  const auto end = [&](auto p, auto stop, double bound, double sign) {
    double inside = found.lambda;
    for (; p != stop; ++p) {
      if (sign * (p->lambda - inside) <= 0) continue;  // on the other side
      if (p->log_likelihood < within) return crossing(likelihood, inside, p->lambda, within);
      inside = p->lambda;
    }
    return bound;
  };
  return {end(found.profile.rbegin(), found.profile.rend(), found.profile.front().lambda, -1),
          end(found.profile.begin(), found.profile.end(), found.profile.back().lambda, 1)};
}

}  // namespace

std::optional<BoxCox> box_cox(const Space& space, const Data& data, const Terms& terms, double level) {
  if (data.size() == 0 || !(data.outputs.col(0).minCoeff() > 0)) return std::nullopt;
  const Regression design = regression_design(space, data, terms);
  if (!(design.degrees_of_freedom() > 0) || (design.r.diagonal().array() <= 0).any()) return std::nullopt;
  const double n = double(data.size()), logs = data.outputs.col(0).array().log().sum();
  const Eigen::MatrixXd q =
      solve_upper_transposed(design.r, Eigen::MatrixXd(design.x.transpose())).transpose();
  const auto likelihood = [&](double lambda) {
    Eigen::VectorXd z = data.outputs.col(0);
    const Transform transform{lambda};
    for (double& v : z) v = transform.forward(v);
    if (design.constant) z.array() -= z.mean();  // else the constant part is the model's to explain
    z = design.scaled(z);
    for (int pass = 0; pass < 2; ++pass) z -= q * (q.transpose() * z);
    // A power that fits exactly is endlessly likely: no more than rounding can tell.
    const double left = std::max(z.squaredNorm(), 1e-30 * design.y.squaredNorm());
    return -0.5 * n * std::log(left / n) + (lambda - 1) * logs;
  };
  BoxCox out;
  for (int i = -20; i <= 20; ++i) out.profile.push_back({i / 10.0, likelihood(i / 10.0)});
  const auto top = std::max_element(out.profile.begin(), out.profile.end(), [](const auto& a, const auto& b) {
    return a.log_likelihood < b.log_likelihood;
  });
  const auto at = std::size_t(top - out.profile.begin());
  out.lambda = likeliest(likelihood, out.profile, at);
  const auto [low, high] = interval(likelihood, out, 0.95);
  std::tie(out.low, out.high) = level == 0.95 ? std::pair(low, high) : interval(likelihood, out, level);
  out.suggestion = std::round(out.lambda * 10) / 10;
  for (const double simple : {1.0, 0.0, 0.5, -1.0, -0.5, 2.0})
    if (simple >= low && simple <= high) {
      out.suggestion = simple;
      break;
    }
  out.likelihood_of_suggestion = likelihood(out.suggestion);
  return out;
}

}  // namespace renth
