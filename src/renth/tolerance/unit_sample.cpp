#include <algorithm>
#include <cmath>
#include <renth/numeric/distributions.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/sobol_sequence.hpp>
#include <renth/plan/halton.hpp>
#include <renth/tolerance/unit_sample.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

Eigen::MatrixXd hypercube_part(Index count, Index dimensions, Seed seed, std::uint64_t part) {
  Eigen::MatrixXd u(count, dimensions);
  Stream stream(seed, "scatter hypercube", part);
  for (Index k = 0; k < dimensions; ++k) {
    const std::vector<int> order = stream.permutation(int(count));
    for (Index i = 0; i < count; ++i) u(i, k) = (order[std::size_t(i)] + stream.uniform()) / double(count);
  }
  return u;
}

Eigen::MatrixXd hammersley_part(Index count, Index dimensions, Seed seed, std::uint64_t part) {
  Eigen::MatrixXd u(count, dimensions);
  if (dimensions > 1)
    u.rightCols(dimensions - 1) =
        scrambled_halton_points(count, dimensions - 1, hash64("scatter", seed + part), "hammersley");
  Stream stream(seed, "scatter hammersley", part);
  for (Index k = 0; k < dimensions; ++k) {
    const double shift = stream.uniform();
    for (Index i = 0; i < count; ++i) {
      const double v = (k == 0 ? (double(i) + 0.5) / double(count) : u(i, k)) + shift;
      u(i, k) = v - std::floor(v);
    }
  }
  return u;
}

Eigen::MatrixXd random_part(Index count, Index dimensions, Seed seed, std::uint64_t part) {
  Eigen::MatrixXd u(count, dimensions);
  Stream stream(seed, "scatter random", part);
  for (Index i = 0; i < count; ++i)
    for (Index k = 0; k < dimensions; ++k) u(i, k) = stream.uniform();
  return u;
}

}  // namespace

Eigen::MatrixXd unit_sample(Sampling method, Index parts, Index each, Index dimensions, Seed seed) {
  Eigen::MatrixXd out(parts * each, dimensions);
  if (dimensions == 0) return out;
  constexpr double hair = 1e-15;
  parallel_for(parts, [&](std::int64_t part) {
    const auto p = std::uint64_t(part);
    const Eigen::MatrixXd u =
        method == Sampling::hypercube    ? hypercube_part(each, dimensions, seed, p)
        : method == Sampling::hammersley ? hammersley_part(each, dimensions, seed, p)
        : method == Sampling::random
            ? random_part(each, dimensions, seed, p)
            : scrambled_sobol_points(each, dimensions, hash64("scatter", seed + p), "scatter");
    out.middleRows(part * each, each) = u.cwiseMax(hair).cwiseMin(1 - hair);
  });
  return out;
}

Eigen::MatrixXd normal_scores(const Eigen::MatrixXd& units) {
  return units.unaryExpr([](double u) { return normal_quantile(u); });
}

Estimate share_of_independent(double hits, double count, double level) {
  const double z = normal_quantile(0.5 + 0.5 * level), p = hits / count;
  const double centre = (p + z * z / (2 * count)) / (1 + z * z / count);
  const double half = z / (1 + z * z / count) * std::sqrt(p * (1 - p) / count + z * z / (4 * count * count));
  return {p, std::max(0.0, std::min(p, centre - half)), std::min(1.0, std::max(p, centre + half))};
}

Estimate share_of_sample(const Eigen::VectorXd& hits, double each, Sampling method, double level) {
  const double parts = double(hits.size()), count = parts * each, sum = hits.sum();
  const Estimate independent = share_of_independent(sum, count, level);
  constexpr double enough = 30;
  if (method == Sampling::random || parts < 2 || sum < enough || count - sum < enough) return independent;
  const double mean = sum / parts;
  const double sd = std::sqrt((hits.array() - mean).square().sum() / (parts - 1)) / each;
  const double half = student_t_width(level, parts - 1) * sd / std::sqrt(parts);
  if (half >= independent.half_width()) return independent;
  const double p = sum / count;
  return {p, std::max(0.0, p - half), std::min(1.0, p + half)};
}

}  // namespace renth
