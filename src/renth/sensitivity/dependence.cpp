#include <algorithm>
#include <cmath>
#include <numeric>
#include <renth/numeric/distributions.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/sensitivity/distance_correlation.hpp>
#include <renth/sensitivity/ranks.hpp>
#include <renth/sensitivity/runs.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

DistanceColumn column_of(const Space& space, Index j, const Eigen::VectorXd& x) {
  return space[j].is_choice() ? DistanceColumn::of_labels(x) : DistanceColumn::of_numbers(x);
}

std::vector<Index> as_they_are(Index n) {
  std::vector<Index> out(static_cast<std::size_t>(n));
  std::iota(out.begin(), out.end(), Index{0});
  return out;
}

/// Of labels with themselves: a_ij² = a_ij.
double own_covariance(const DistanceColumn& x) {
  if (!x.labels()) return distance_covariance(x, x, as_they_are(x.size()));
  const double n = double(x.size());
  return (x.total() - 2 / (n - 2) * x.sums().squaredNorm() + x.total() * x.total() / ((n - 1) * (n - 2))) /
         (n * (n - 3));
}

double squared_correlation(double covariance, double own_x, double own_y) {
  return own_x > 0 && own_y > 0 ? covariance / std::sqrt(own_x * own_y) : 0;
}

/// Of some of the runs.
double of_part(const Space& space, Index j, const Eigen::VectorXd& x, const Eigen::VectorXd& y) {
  const DistanceColumn a = column_of(space, j, x), b = DistanceColumn::of_numbers(y);
  return squared_correlation(distance_covariance(a, b, as_they_are(x.size())), own_covariance(a),
                             own_covariance(b));
}

/// Standard error by leaving one of some twenty groups out at a time.
double jackknife(const Space& space, Index j, const Eigen::VectorXd& x, const Eigen::VectorXd& y) {
  const Index n = x.size(), groups = std::min<Index>(20, n);
  Eigen::VectorXd values(groups);
  for (Index g = 0; g < groups; ++g) {
    std::vector<Index> rows;
    for (Index i = 0; i < n; ++i)
      if (i % groups != g) rows.push_back(i);
    values[g] = of_part(space, j, x(rows), y(rows));
  }
  return std::sqrt((values.array() - values.mean()).square().sum() * double(groups - 1) / double(groups));
}

/// Up or down if ranks show most of the dependence, else mixed.
std::string direction_by_ranks(const Space& space, Index j, const Eigen::VectorXd& x,
                               const Eigen::VectorXd& y, double share) {
  if (space[j].is_choice()) return "mixed";
  const Eigen::VectorXd a = average_ranks(x), b = average_ranks(y);
  const Eigen::VectorXd u = a.array() - a.mean(), v = b.array() - b.mean();
  const double r = u.dot(v) / (u.norm() * v.norm());
  if (std::abs(r) < 0.7 * std::sqrt(share)) return "mixed";
  return r > 0 ? "up" : "down";
}

}  // namespace

Ranking dependence_of_runs(const Space& space, const Data& data, Seed seed, double level) {
  const Eigen::VectorXd y = detail::output_of_runs(space, data, 6);
  const Index n = y.size(), d = space.size();
  const int permutations = n <= 1000 ? 999 : 199;
  const DistanceColumn response = DistanceColumn::of_numbers(y);
  const double own_y = own_covariance(response);
  std::vector<DistanceColumn> columns;
  Eigen::VectorXd own(d), found(d);
  for (Index j = 0; j < d; ++j) {
    columns.push_back(column_of(space, j, data.inputs.col(j)));
    own[j] = own_covariance(columns.back());
    found[j] =
        squared_correlation(distance_covariance(columns.back(), response, as_they_are(n)), own[j], own_y);
  }
  Eigen::MatrixXd by_chance(permutations, d);
  parallel_for(permutations, [&](std::int64_t k) {
    Stream stream(seed, "dependence", std::uint64_t(k));
    std::vector<Index> order;
    for (const int i : stream.permutation(int(n))) order.push_back(i);
    for (Index j = 0; j < d; ++j)
      by_chance(k, j) =
          squared_correlation(distance_covariance(columns[std::size_t(j)], response, order), own[j], own_y);
  });
  const Eigen::VectorXd largest = by_chance.rowwise().maxCoeff();
  Eigen::VectorXd error(d);
  parallel_for(d, [&](std::int64_t j) { error[j] = jackknife(space, j, data.inputs.col(j), y); });
  Ranking out;
  out.method = "dependence";
  out.variance = (y.array() - y.mean()).square().sum() / double(n - 1);
  for (Index j = 0; j < d; ++j) {
    RankedParameter p;
    p.parameter = j;
    const double half = student_t_width(level, double(std::min<Index>(20, n) - 1)) * error[j];
    p.share = std::clamp(found[j], 0.0, 1.0);
    p.low = std::clamp(found[j] - half, 0.0, p.share);
    p.high = std::clamp(found[j] + half, p.share, 1.0);
    const auto share_of = [&](const auto& values) {
      return (1.0 + double((values.array() >= found[j]).count())) / (1.0 + permutations);
    };
    const double alone = share_of(by_chance.col(j)), corrected = share_of(largest);
    p.measures = {{"distance_correlation", "distance correlation", std::sqrt(p.share), std::sqrt(p.low),
                   std::sqrt(p.high)},
                  {"p_alone", "p alone", alone},
                  {"p", "p", corrected}};
    p.direction =
        corrected < 1 - level ? direction_by_ranks(space, j, data.inputs.col(j), y, p.share) : "none";
    out.parameters.push_back(std::move(p));
  }
  sort_by_share(out);
  return out;
}

}  // namespace renth
