#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/fit/kriging_draws.hpp>
#include <renth/fit/kriging_search.hpp>
#include <renth/numeric/symmetric_eigen.hpp>

namespace renth {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

constexpr int proposals = 60;         // a kernel
constexpr double least_share = 0.04;  // of a kernel, for it to be drawn from
constexpr double widest = 0.7;        // a proposal in any direction, in logarithms: twice or half

/// Second derivatives at `at` from differences of slopes.
MatrixXd curvature(KrigingObjective& objective, const VectorXd& at, const VectorXd& low,
                   const VectorXd& high) {
  constexpr double step = 0.05;
  const Index d = at.size();
  MatrixXd out(d, d);
  VectorXd up(d), down(d);
  for (Index j = 0; j < d; ++j) {
    VectorXd a = at, b = at;
    a[j] = std::min(high[j], a[j] + step);
    b[j] = std::max(low[j], b[j] - step);
    if (!std::isfinite(objective(a, &up)) || !std::isfinite(objective(b, &down))) return MatrixXd::Zero(d, d);
    out.col(j) = (up - down) / (a[j] - b[j]);
  }
  return 0.5 * (out + out.transpose());
}

struct Draw {
  VectorXd at;
  double weight = 0;
};

/// Points about a mode, weighted so that they stand for the posterior.
std::vector<Draw> weighted_proposals(KrigingObjective& objective, const KrigingMode& mode, Seed seed) {
  const int lengths = objective.problem().lengths();
  const bool nugget = mode.at.size() > lengths;
  const VectorXd low = least_logs(lengths, nugget), high = most_logs(lengths, nugget);
  const SymmetricEigen bend = symmetric_eigen(curvature(objective, mode.at, low, high));
  const VectorXd width = bend.values.cwiseMax(1 / (widest * widest)).cwiseSqrt().cwiseInverse();
  Stream stream(seed, "kriging draws");
  std::vector<Draw> out;
  double top = -std::numeric_limits<double>::infinity();
  for (int i = 0; i < proposals; ++i) {
    VectorXd z(mode.at.size());
    for (double& v : z) v = i == 0 ? 0 : stream.normal();
    Draw draw;
    draw.at = (mode.at + bend.vectors * width.cwiseProduct(z)).cwiseMax(low).cwiseMin(high);
    const double value = objective(draw.at, nullptr);
    if (!std::isfinite(value)) continue;
    draw.weight = 0.5 * z.squaredNorm() - value;
    top = std::max(top, draw.weight);
    out.push_back(std::move(draw));
  }
  double sum = 0;
  for (Draw& d : out) sum += d.weight = std::exp(d.weight - top);
  for (Draw& d : out) d.weight /= sum;
  return out;
}

/// `count` of them in proportion to their weights; the same one twice has twice the weight.
std::vector<Draw> resample(const std::vector<Draw>& draws, int count) {
  std::vector<Draw> out;
  double sum = 0;
  int taken = 0;
  for (const Draw& d : draws) {
    sum += d.weight;
    int times = 0;
    for (; taken < count && (taken + 0.5) / count < sum; ++taken) ++times;
    if (times == 0) continue;
    out.push_back(d);
    out.back().weight = double(times) / count;
  }
  return out;
}

/// ln θ, then ln nugget if it is noise.
VectorXd place_of(const Process& process) {
  const std::vector<double> start = process.warm_start();
  return Eigen::Map<const VectorXd>(start.data(), Index(start.size()));
}

}  // namespace

Kriging::State kriging_at(KrigingObjective& objective, const VectorXd& at, const Space& space,
                          const Terms& trend, const Standardised& outputs, bool noise, double inflation) {
  const double value = objective(at, nullptr);
  return kriging_here(objective, at, value, space, trend, outputs, noise, inflation);
}

Kriging::State kriging_here(const KrigingObjective& objective, const VectorXd& at, double value,
                            const Space& space, const Terms& trend, const Standardised& outputs, bool noise,
                            double inflation) {
  const KrigingProblem& problem = objective.problem();
  const int lengths = problem.lengths();
  const double n = double(problem.y.size()), p = double(trend.size());
  Kriging::State s;
  s.log_likelihood = -value;
  s.space = Space(space.parameters());
  s.kernel = problem.kernel;
  s.trend = trend;
  s.theta = at.head(lengths).array().exp();
  s.nugget = at.size() > lengths ? std::exp(at[lengths]) : std::max(KrigingObjective::floor, problem.nugget);
  s.nugget_is_noise = noise;
  s.centre = outputs.centre;
  s.beta = outputs.spread * objective.beta();
  s.sigma2 = inflation * objective.sigma2() * n / (n - p) * outputs.spread * outputs.spread;
  s.weights = outputs.spread * objective.weights();
  return s;
}

std::unique_ptr<const Surrogate> kriging_ensemble(const std::vector<KrigingMode>& modes, int count,
                                                  const Space& space, const Terms& trend,
                                                  const Standardised& outputs, Seed seed) {
  VectorXd share(Index(modes.size()));
  for (std::size_t k = 0; k < modes.size(); ++k)
    share[Index(k)] = std::exp(modes[0].value + modes[0].handicap - modes[k].value - modes[k].handicap);
  share /= share.sum();
  share = (share.array() < least_share).select(0, share);
  share /= share.sum();
  KrigingEnsemble::State out;
  out.features = modes[0].problem.features;
  out.terms = modes[0].problem.trend;
  std::vector<double> shares;
  for (std::size_t k = 0; k < modes.size(); ++k) {
    if (!(share[Index(k)] > 0)) continue;
    KrigingObjective objective(modes[k].problem);
    const double inflation = left_out_scale(objective, modes[k].at);
    const auto at = [&](const VectorXd& t) {
      return kriging_at(objective, t, space, trend, outputs, modes[k].noise, inflation);
    };
    const int own = std::max(1, int(std::lround(count * share[Index(k)])));
    for (const Draw& d : resample(weighted_proposals(objective, modes[k], seed), own)) {
      out.members.push_back(at(d.at));
      shares.push_back(share[Index(k)] * d.weight);
    }
    out.modes.push_back(at(modes[k].at));
    if (k > 0) out.modes.back().weights.resize(0);
  }
  out.shares = Eigen::Map<const VectorXd>(shares.data(), Index(shares.size()));
  return std::make_unique<KrigingEnsemble>(std::move(out));
}

std::unique_ptr<const Surrogate> ensemble_again(const KrigingEnsemble& whole, const KrigingProblem& problem,
                                                const Space& space, const Standardised& outputs) {
  const KrigingEnsemble::State& before = whole.state();
  KrigingEnsemble::State out;
  out.features = problem.features;
  out.terms = problem.trend;
  out.modes = before.modes;
  std::vector<double> logs;
  VectorXd moved;
  for (const Kriging::State& mode : before.modes) {
    KrigingProblem own = problem;
    own.kernel = mode.kernel;
    KrigingObjective objective(std::move(own));
    const VectorXd start = place_of(mode);
    const int lengths = objective.problem().lengths();
    VectorXd now = start;
    const bool first = moved.size() == 0;
    if (first) {
      now = descend(objective, start).at;
      moved = now - start;
    }
    const Index common = std::min(start.size(), moved.size());
    const double inflation = left_out_scale(objective, now);
    if (first)
      out.modes.front() =
          kriging_at(objective, now, space, mode.trend, outputs, mode.nugget_is_noise, inflation);
    for (std::size_t m = 0; m < before.members.size(); ++m) {
      const Kriging::State& member = before.members[m];
      if (member.kernel != mode.kernel) continue;
      VectorXd at = place_of(member);
      at.head(common) += moved.head(common);
      at = at.cwiseMax(least_logs(lengths, member.nugget_is_noise))
               .cwiseMin(most_logs(lengths, member.nugget_is_noise));
      Kriging::State s =
          kriging_at(objective, at, space, member.trend, outputs, member.nugget_is_noise, inflation);
      if (!std::isfinite(s.log_likelihood)) continue;
      logs.push_back(std::log(before.shares[Index(m)]) + s.log_likelihood - member.log_likelihood);
      out.members.push_back(std::move(s));
    }
  }
  if (logs.empty()) throw stays_singular();
  const double most = *std::max_element(logs.begin(), logs.end());
  out.shares.resize(Index(logs.size()));
  for (std::size_t m = 0; m < logs.size(); ++m) out.shares[Index(m)] = std::exp(logs[m] - most);
  out.shares /= out.shares.sum();
  return std::make_unique<KrigingEnsemble>(std::move(out));
}

}  // namespace renth
