#include <algorithm>
#include <cmath>
#include <renth/adaptive/feasibility.hpp>
#include <renth/base/error.hpp>
#include <renth/numeric/cholesky.hpp>
#include <renth/numeric/descend.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/space/features.hpp>

namespace renth {
namespace {

const double usual_log_theta = std::log(0.7), theta_spread = 1.2, usual_log_variance = std::log(5.0),
             variance_spread = 0.7;

struct Mode {
  Eigen::VectorXd f, pull, weight, third;  // latent values; ∇, −∇∇ and ∇∇∇ of ln p(y | f)
  Eigen::VectorXd a;                       // K⁻¹(f − mean)
  Eigen::MatrixXd factor;                  // L of B = I + W^½ K W^½
  double evidence = 0;
};

/// Newton's method (R & W algorithm 3.1), with halved steps where a full one overshoots.
Mode find_mode(const Eigen::MatrixXd& k, const Eigen::VectorXd& y, double prior_mean) {
  const Eigen::Index n = y.size();
  Mode m;
  m.a = Eigen::VectorXd::Zero(n);
  m.f = Eigen::VectorXd::Constant(n, prior_mean);
  const auto likelihood = [&](const Eigen::VectorXd& f) {
    double sum = 0;
    for (Eigen::Index i = 0; i < n; ++i) {
      const double u = y[i] * f[i];
      sum -= u > 0 ? std::log1p(std::exp(-u)) : -u + std::log1p(std::exp(u));
    }
    return sum;
  };
  const auto derivatives = [&] {
    const Eigen::VectorXd p = m.f.unaryExpr([](double v) { return logistic(v); });
    m.pull = (y.array() + 1) / 2 - p.array();
    m.weight = p.array() * (1 - p.array());
    m.third = -(m.weight.array() * (1 - 2 * p.array()));
    const Eigen::VectorXd root = m.weight.cwiseSqrt();
    m.factor = root.asDiagonal() * k * root.asDiagonal();
    m.factor.diagonal().array() += 1;
    cholesky_in_place(m.factor);
  };
  double psi = likelihood(m.f);
  for (int round = 0; round < 100; ++round) {
    derivatives();
    const Eigen::VectorXd root = m.weight.cwiseSqrt();
    const Eigen::VectorXd b = m.weight.cwiseProduct((m.f.array() - prior_mean).matrix()) + m.pull;
    Eigen::MatrixXd c = root.cwiseProduct(k * b);
    solve_lower(m.factor, c);
    solve_lower_transposed(m.factor, c);
    const Eigen::VectorXd full = b - root.cwiseProduct(c.col(0)), before = m.a;
    double next = psi;
    for (double step = 1; step > 1e-6; step /= 2) {
      m.a = before + step * (full - before);
      m.f = (k * m.a).array() + prior_mean;
      next = -0.5 * m.a.dot((m.f.array() - prior_mean).matrix()) + likelihood(m.f);
      if (next >= psi - 1e-12) break;
    }
    const bool settled = std::abs(next - psi) < 1e-10 * (1 + std::abs(psi));
    psi = next;
    if (settled) break;
  }
  derivatives();
  m.evidence = psi - m.factor.diagonal().array().log().sum();
  return m;
}

double log_prior(const Eigen::VectorXd& t, Eigen::VectorXd* gradient) {
  double sum = 0;
  for (Eigen::Index i = 0; i < t.size(); ++i) {
    const bool last = i == t.size() - 1;
    const double z =
        last ? (t[i] - usual_log_variance) / variance_spread : (t[i] - usual_log_theta) / theta_spread;
    sum -= 0.5 * z * z;
    if (gradient) (*gradient)[i] += z / (last ? variance_spread : theta_spread);  // of the negative
  }
  return sum;
}

/// ∂K/∂ln θ_j.
Eigen::MatrixXd length_slope(const Eigen::MatrixXd& scaled, const std::vector<int>& owner, Eigen::Index j,
                             double variance) {
  const Eigen::Index n = scaled.rows();
  Eigen::MatrixXd out(n, n);
  for (Eigen::Index col = 0; col < n; ++col)
    for (Eigen::Index row = 0; row < n; ++row) {
      double squared = 0, own = 0;
      for (Eigen::Index q = 0; q < scaled.cols(); ++q) {
        const double delta = scaled(row, q) - scaled(col, q);
        squared += delta * delta;
        if (owner[static_cast<std::size_t>(q)] == j) own += delta * delta;
      }
      const double s = std::sqrt(5 * squared);
      out(row, col) = variance * (5.0 / 3) * (1 + s) * std::exp(-s) * own;
    }
  return out;
}

/// Rows used: all, or of many runs a random choice, the failed ones first; ascending.
std::vector<int> rows_used(const std::vector<bool>& failed, int most, Seed seed) {
  std::vector<int> bad, good;
  for (std::size_t i = 0; i < failed.size(); ++i) (failed[i] ? bad : good).push_back(static_cast<int>(i));
  if (bad.empty() || good.empty())
    throw Error(bad.empty() ? "no run has failed" : "no run is done", "learning where runs fail",
                "there is nothing to learn yet");
  const auto thin = [&](std::vector<int>& rows, int count, std::uint64_t index) {
    if (static_cast<int>(rows.size()) <= count) return;
    std::vector<int> kept;
    for (const int i : Stream(seed, "feasibility runs", index).permutation(static_cast<int>(rows.size())))
      if (static_cast<int>(kept.size()) < count) kept.push_back(rows[static_cast<std::size_t>(i)]);
    std::sort(kept.begin(), kept.end());
    rows = kept;
  };
  thin(bad, most / 2, 0);
  thin(good, most - static_cast<int>(bad.size()), 1);
  bad.insert(bad.end(), good.begin(), good.end());
  std::sort(bad.begin(), bad.end());
  return bad;
}

}  // namespace

double feasibility_objective(const Eigen::MatrixXd& features, const std::vector<int>& owner,
                             const Eigen::VectorXd& y, double prior_mean, const Eigen::VectorXd& t,
                             Eigen::VectorXd* gradient) {
  const Eigen::Index d = t.size() - 1;
  const double variance = std::exp(t[d]);
  const Eigen::MatrixXd scaled = scaled_by(features, owner, t.head(d).array().exp());
  const Eigen::MatrixXd k = latent_covariance(scaled, variance);
  const Mode m = find_mode(k, y, prior_mean);
  if (gradient) {
    const Eigen::VectorXd root = m.weight.cwiseSqrt();
    Eigen::MatrixXd r = root.asDiagonal();  // R = W^½ B⁻¹ W^½
    solve_lower(m.factor, r);
    solve_lower_transposed(m.factor, r);
    r = root.asDiagonal() * r;
    Eigen::MatrixXd c = root.asDiagonal() * k;
    solve_lower(m.factor, c);
    // ∂ ln|B| / ∂f_i = Σ_ii ∂W_ii/∂f_i, and W = −∇∇ ln p: the signs cancel (R & W equation 5.23 has one of
    // them).
    const Eigen::VectorXd s2 =
        (0.5 * (k.diagonal().transpose() - c.colwise().squaredNorm())).transpose().cwiseProduct(m.third);
    gradient->setZero(t.size());
    for (Eigen::Index j = 0; j <= d; ++j) {
      const Eigen::MatrixXd slope = j < d ? length_slope(scaled, owner, j, variance) : k;
      const double s1 = 0.5 * m.a.dot(slope * m.a) - 0.5 * r.cwiseProduct(slope).sum();
      const Eigen::VectorXd b = slope * m.pull;
      const Eigen::VectorXd s3 = b - k * (r * b);
      (*gradient)[j] = -(s1 + s2.dot(s3));
    }
  }
  return -m.evidence - log_prior(t, gradient);
}

std::unique_ptr<const Surrogate> feasibility_fit(const Space& space, Points inputs,
                                                 const std::vector<bool>& failed, Seed seed,
                                                 const FeasibilityOptions& options) {
  const std::vector<int> rows = rows_used(failed, options.most_runs, seed);
  const Eigen::MatrixXd all = inputs;
  const Eigen::MatrixXd f = features(space, all(rows, Eigen::all));
  const std::vector<int> owner = feature_parameters(space);
  Eigen::VectorXd y(Eigen::Index(rows.size()));
  for (std::size_t i = 0; i < rows.size(); ++i)
    y[Eigen::Index(i)] = failed[static_cast<std::size_t>(rows[i])] ? -1 : 1;
  // Thinning changes the odds among the runs used, not those to expect.
  const auto good = double(std::count(failed.begin(), failed.end(), false));
  const double share = (good + 0.5) / (double(failed.size()) + 1);
  const double prior_mean = std::log(share / (1 - share));

  const Eigen::Index d = space.size();
  Eigen::VectorXd at = Eigen::VectorXd::Constant(d + 1, usual_log_theta),
                  low = Eigen::VectorXd::Constant(d + 1, std::log(0.05)),
                  high = Eigen::VectorXd::Constant(d + 1, std::log(20.0));
  at[d] = usual_log_variance;
  low[d] = std::log(0.1);
  high[d] = std::log(100.0);
  const SmoothFunction objective = [&](const Eigen::VectorXd& t, Eigen::VectorXd* gradient) {
    return feasibility_objective(f, owner, y, prior_mean, t, gradient);
  };
  const Eigen::VectorXd found =
      descend(objective, at, low, high, {.value_tolerance = 1e-3, .most_evaluations = 30}).at;
  Feasibility::State state;
  state.space = Space(space.parameters());
  state.theta = found.head(d).array().exp();
  state.variance = std::exp(found[d]);
  state.prior_mean = prior_mean;
  state.runs = scaled_by(f, owner, state.theta);
  const Mode mode = find_mode(latent_covariance(state.runs, state.variance), y, prior_mean);
  state.pull = mode.pull;
  state.weight = mode.weight;
  return std::make_unique<Feasibility>(std::move(state));
}

}  // namespace renth
