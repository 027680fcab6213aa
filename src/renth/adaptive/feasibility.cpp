#include <algorithm>
#include <cmath>
#include <renth/adaptive/feasibility.hpp>
#include <renth/numeric/cholesky.hpp>
#include <renth/numeric/descend.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/numeric/kernels.hpp>
#include <renth/space/features.hpp>

namespace renth {
namespace {

const double usual_log_theta = std::log(0.7), theta_spread = 1.2, usual_log_variance = std::log(5.0),
             variance_spread = 0.7;

double logistic(double f) {
  return f >= 0 ? 1 / (1 + std::exp(-f)) : std::exp(f) / (1 + std::exp(f));
}

/// 16-point Gauss–Hermite rule for ∫ g(x) e^(−x²) dx (M. Abramowitz and I. A. Stegun, table 25.10);
/// symmetric.
constexpr double nodes[] = {0.27348104613815, 0.82295144914466, 1.38025853919888, 1.95178799091625,
                            2.54620215784748, 3.17699916197996, 3.86944790486012, 4.68873893930582};
constexpr double weights[] = {5.079294790166e-1, 2.806474585285e-1, 8.381004139899e-2, 1.288031153551e-2,
                              9.322840086242e-4, 2.711860092538e-5, 2.320980844865e-7, 2.654807474011e-10};

/// Mean of σ(f), and of its square, for f ~ N(mean, variance).
std::pair<double, double> probability(double mean, double variance) {
  const double scale = std::sqrt(2 * variance), norm = 1 / std::sqrt(M_PI);
  double first = 0, second = 0;
  for (int i = 0; i < 8; ++i)
    for (const double sign : {-1.0, 1.0}) {
      const double p = logistic(mean + sign * scale * nodes[i]);
      first += weights[i] * p;
      second += weights[i] * p * p;
    }
  return {norm * first, norm * second};
}

/// s²·k of the scaled features, full and symmetric.
Eigen::MatrixXd kernel(const Eigen::MatrixXd& scaled, double variance) {
  const Eigen::Index n = scaled.rows();
  Eigen::MatrixXd k(n, n);
  for (Eigen::Index j = 0; j < n; ++j) {
    const Eigen::VectorXd point = scaled.row(j);
    kernels::correlations(Kernel::matern52, point.data(), scaled.data(), std::size_t(n),
                          std::size_t(scaled.cols()), std::size_t(n), k.col(j).data());
  }
  return variance * k;
}

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

Eigen::MatrixXd scaled_by(const Eigen::MatrixXd& features, const std::vector<int>& owner,
                          const Eigen::VectorXd& theta) {
  Eigen::MatrixXd out = features;
  for (Eigen::Index k = 0; k < out.cols(); ++k) out.col(k) /= theta[owner[static_cast<std::size_t>(k)]];
  return out;
}

}  // namespace

double feasibility_objective(const Eigen::MatrixXd& features, const std::vector<int>& owner,
                             const Eigen::VectorXd& y, double prior_mean, const Eigen::VectorXd& t,
                             Eigen::VectorXd* gradient) {
  const Eigen::Index n = y.size(), d = t.size() - 1;
  const double variance = std::exp(t[d]);
  const Eigen::MatrixXd scaled = scaled_by(features, owner, t.head(d).array().exp());
  const Eigen::MatrixXd k = kernel(scaled, variance);
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
      Eigen::MatrixXd slope = k;  // ∂K/∂ln s²
      if (j < d) {
        for (Eigen::Index col = 0; col < n; ++col)
          for (Eigen::Index row = 0; row < n; ++row) {
            double squared = 0, own = 0;
            for (Eigen::Index q = 0; q < scaled.cols(); ++q) {
              const double delta = scaled(row, q) - scaled(col, q);
              squared += delta * delta;
              if (owner[static_cast<std::size_t>(q)] == j) own += delta * delta;
            }
            const double s = std::sqrt(5 * squared);
            slope(row, col) = variance * (5.0 / 3) * (1 + s) * std::exp(-s) * own;
          }
      }
      const double s1 = 0.5 * m.a.dot(slope * m.a) - 0.5 * r.cwiseProduct(slope).sum();
      const Eigen::VectorXd b = slope * m.pull;
      const Eigen::VectorXd s3 = b - k * (r * b);
      (*gradient)[j] = -(s1 + s2.dot(s3));
    }
  }
  return -m.evidence - log_prior(t, gradient);
}

Feasibility::Feasibility(State state) : state_(std::move(state)) {
  const Eigen::VectorXd root = state_.weight.cwiseSqrt();
  factor_ = root.asDiagonal() * kernel(state_.runs, state_.variance) * root.asDiagonal();
  factor_.diagonal().array() += 1;
  cholesky_in_place(factor_);
}

Eigen::MatrixXd Feasibility::correlations(Points points) const {
  const Eigen::MatrixXd scaled =
      scaled_by(features(state_.space, points), feature_parameters(state_.space), state_.theta);
  const auto n = static_cast<std::size_t>(state_.runs.rows());
  Eigen::MatrixXd k(state_.runs.rows(), points.rows());
  for (Eigen::Index i = 0; i < points.rows(); ++i) {
    const Eigen::VectorXd point = scaled.row(i);
    kernels::correlations(Kernel::matern52, point.data(), state_.runs.data(), n, std::size_t(scaled.cols()),
                          n, k.col(i).data());
  }
  return state_.variance * k;
}

Prediction Feasibility::predict(Points points, Want want) const {
  const Eigen::MatrixXd k = correlations(points);
  const Eigen::VectorXd latent = (k.transpose() * state_.pull).array() + state_.prior_mean;
  Eigen::MatrixXd v = state_.weight.cwiseSqrt().asDiagonal() * k;
  solve_lower(factor_, v);
  Prediction out;
  out.mean.resize(points.rows(), 1);
  out.model_variance = out.noise_variance = Eigen::MatrixXd::Zero(points.rows(), 1);
  out.degrees_of_freedom = INFINITY;
  for (Eigen::Index i = 0; i < points.rows(); ++i) {
    const double variance = std::max(0.0, state_.variance - v.col(i).squaredNorm());
    const auto [mean, square] = probability(latent[i], variance);
    out.mean(i, 0) = mean;
    out.model_variance(i, 0) = std::max(0.0, square - mean * mean);
  }
  if (want.gradient) {
    // By central differences: the quadrature leaves no short formula, and 1e-5 of a span is far above
    // rounding.
    Eigen::MatrixXd slope = Eigen::MatrixXd::Zero(points.rows(), state_.space.size());
    for (Eigen::Index j = 0; j < state_.space.size(); ++j) {
      const Parameter& p = state_.space[j];
      if (p.is_choice()) continue;
      const double step = 1e-5 * (p.high - p.low);
      Eigen::MatrixXd up = points, down = points;
      up.col(j).array() += step;
      down.col(j).array() -= step;
      slope.col(j) = (predict(up).mean.col(0) - predict(down).mean.col(0)) / (2 * step);
    }
    out.mean_gradient = {slope};
  }
  return out;
}

Intervals Feasibility::intervals(const Prediction& prediction, double level) const {
  Intervals out = Surrogate::intervals(prediction, level);
  for (Eigen::MatrixXd* m :
       {&out.confidence_low, &out.confidence_high, &out.prediction_low, &out.prediction_high})
    *m = m->cwiseMax(0.0).cwiseMin(1.0);
  return out;
}

Eigen::MatrixXd Feasibility::covariance(Points points, Eigen::Index) const {
  const Eigen::MatrixXd k = correlations(points);
  const Eigen::VectorXd latent = (k.transpose() * state_.pull).array() + state_.prior_mean;
  Eigen::MatrixXd v = state_.weight.cwiseSqrt().asDiagonal() * k;
  solve_lower(factor_, v);
  const Eigen::MatrixXd scaled =
      scaled_by(features(state_.space, points), feature_parameters(state_.space), state_.theta);
  const Eigen::VectorXd slope = latent.unaryExpr([](double f) { return logistic(f) * (1 - logistic(f)); });
  return slope.asDiagonal() * (kernel(scaled, state_.variance) - v.transpose() * v) * slope.asDiagonal();
}

Archive Feasibility::save() const {
  ArchiveWriter out;
  save_space(out, state_.space);
  out.matrix(state_.theta);
  out.number(state_.variance);
  out.number(state_.prior_mean);
  out.matrix(state_.runs);
  out.matrix(state_.pull);
  out.matrix(state_.weight);
  return {"feasibility", 1, out.take()};
}

std::unique_ptr<const Surrogate> Feasibility::load(const Archive& archive) {
  if (archive.kind != "feasibility" || archive.version != 1)
    throw Error("the archive holds no feasibility of this version", "study.db", "learn it again",
                ErrorKind::machine);
  ArchiveReader in(archive.bytes);
  State s;
  s.space = load_space(in);
  s.theta = in.matrix();
  s.variance = in.number();
  s.prior_mean = in.number();
  s.runs = in.matrix();
  s.pull = in.matrix();
  s.weight = in.matrix();
  return std::make_unique<Feasibility>(std::move(s));
}

std::unique_ptr<const Surrogate> feasibility_fit(const Space& space, Points inputs,
                                                 const std::vector<bool>& failed, Seed seed,
                                                 const FeasibilityOptions& options) {
  std::vector<int> bad, good;
  for (std::size_t i = 0; i < failed.size(); ++i) (failed[i] ? bad : good).push_back(static_cast<int>(i));
  if (bad.empty() || good.empty())
    throw Error(bad.empty() ? "no run has failed" : "no run is done", "learning where runs fail",
                "there is nothing to learn yet");
  const double share = (static_cast<double>(good.size()) + 0.5) / (static_cast<double>(failed.size()) + 1);
  const auto thin = [&](std::vector<int>& rows, int most, std::uint64_t index) {
    if (static_cast<int>(rows.size()) <= most) return;
    std::vector<int> kept;
    for (const int i : Stream(seed, "feasibility runs", index).permutation(static_cast<int>(rows.size())))
      if (static_cast<int>(kept.size()) < most) kept.push_back(rows[static_cast<std::size_t>(i)]);
    std::sort(kept.begin(), kept.end());
    rows = kept;
  };
  thin(bad, options.most_runs / 2, 0);
  thin(good, options.most_runs - static_cast<int>(bad.size()), 1);
  std::vector<int> rows = bad;
  rows.insert(rows.end(), good.begin(), good.end());
  std::sort(rows.begin(), rows.end());
  const Eigen::MatrixXd all = inputs;
  const Eigen::MatrixXd f = features(space, all(rows, Eigen::all));
  const std::vector<int> owner = feature_parameters(space);
  Eigen::VectorXd y(Eigen::Index(rows.size()));
  for (std::size_t i = 0; i < rows.size(); ++i)
    y[Eigen::Index(i)] = failed[static_cast<std::size_t>(rows[i])] ? -1 : 1;
  // Thinning changes the odds among the runs used, not those to expect.
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
  const Mode mode = find_mode(kernel(state.runs, state.variance), y, prior_mean);
  state.pull = mode.pull;
  state.weight = mode.weight;
  return std::make_unique<Feasibility>(std::move(state));
}

}  // namespace renth
