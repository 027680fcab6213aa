#include <algorithm>
#include <cmath>
#include <numbers>
#include <renth/numeric/distributions.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/sobol_sequence.hpp>
#include <renth/sensitivity/slopes.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// Allowed points of one scramble, natural units.
Eigen::MatrixXd points_of(const Space& space, const DerivativeOptions& options, Seed seed, int replicate) {
  const Eigen::MatrixXd unit = scrambled_sobol_points(
      options.samples, space.size(), hash64("derivatives", seed) + std::uint64_t(replicate), "scramble");
  Eigen::MatrixXd out(unit.rows(), space.size());
  Index kept = 0;
  for (Index i = 0; i < unit.rows(); ++i) {
    for (Index j = 0; j < space.size(); ++j) out(kept, j) = space.from_unit(j, unit(i, j), false);
    if (space.allows(out.row(kept).transpose())) ++kept;
  }
  return out.topRows(kept);
}

/// Of every parameter the mean squared slope per span and the bound; several outputs are summed.
struct Squares {
  Eigen::VectorXd nu, bound;
  double variance = 0;
  double kept = 0;
};

/// Half the mean squared difference between a value and each of the others: the total share's numerator.
double of_values(const Space& space, const Evaluate& model, const Eigen::MatrixXd& points,
                 const Eigen::MatrixXd& y, Index j) {
  const int count = space[j].settable_count();
  double sum = 0;
  Index pairs = 0;
  for (int k = 0; k < count; ++k) {
    Eigen::MatrixXd moved = points;
    moved.col(j).setConstant(space[j].settable(k));
    std::vector<Index> rows;
    for (Index i = 0; i < moved.rows(); ++i)
      if (space.allows(moved.row(i).transpose())) rows.push_back(i);
    if (rows.empty()) continue;
    sum += (model(moved(rows, Eigen::all)) - y(rows, Eigen::all)).squaredNorm();
    pairs += Index(rows.size());
  }
  return pairs > 0 ? 0.5 * sum / double(pairs) : 0;
}

Squares squares_of(const Space& space, const Evaluate& model, const Eigen::MatrixXd& points) {
  Squares out;
  const Index d = space.size();
  out.nu.setZero(d);
  out.bound.setZero(d);
  out.kept = double(points.rows());
  if (points.rows() < 2) return out;
  const Eigen::MatrixXd y = model(points);
  out.variance = (y.rowwise() - y.colwise().mean()).squaredNorm() / (out.kept - 1);
  for (Index j = 0; j < d; ++j) {
    if (space[j].is_between()) {
      const double span = space[j].high - space[j].low;
      out.nu[j] = (slopes(space, model, points, j) * span).squaredNorm() / out.kept;
      out.bound[j] = out.nu[j] / (std::numbers::pi * std::numbers::pi);
    } else {
      out.bound[j] = of_values(space, model, points, y, j);
      out.nu[j] = undefined;
    }
    if (out.variance > 0) out.bound[j] /= out.variance;
  }
  return out;
}

}  // namespace

Ranking derivatives_of_model(const Space& space, const Evaluate& whole, const std::vector<Evaluate>& folds,
                             const DerivativeOptions& options, Seed seed) {
  const Index d = space.size(), k = Index(folds.size());
  const int replicates = std::max(2, options.replicates);
  std::vector<Squares> all(static_cast<std::size_t>(replicates)), of_folds(folds.size());
  parallel_for(replicates + k, [&](std::int64_t r) {
    if (r < replicates)
      all[std::size_t(r)] = squares_of(space, whole, points_of(space, options, seed, int(r)));
    else
      of_folds[std::size_t(r - replicates)] =
          squares_of(space, folds[std::size_t(r - replicates)], points_of(space, options, seed, 0));
  });
  Ranking out;
  out.method = "derivatives";
  out.variance = 0;
  double kept = 0;
  for (const Squares& s : all) {
    out.variance += s.variance / replicates;
    kept += s.kept;
  }
  for (Index j = 0; j < d; ++j) {
    double mean = 0, nu = 0, scatter = 0, between = 0, centre = 0;
    for (const Squares& s : all) {
      mean += s.bound[j] / replicates;
      nu += s.nu[j] / replicates;
    }
    for (const Squares& s : all)
      scatter += std::pow(s.bound[j] - mean, 2) / (replicates * (replicates - 1.0));
    for (const Squares& s : of_folds) centre += s.bound[j] / double(k);
    for (const Squares& s : of_folds) between += std::pow(s.bound[j] - centre, 2) * double(k - 1) / double(k);
    const double half = student_t_width(options.level, k > 1 ? double(k - 1) : replicates - 1.0) *
                        std::sqrt(scatter + between);
    RankedParameter p;
    p.parameter = j;
    p.share = std::clamp(mean, 0.0, 1.0);
    p.low = std::clamp(mean - half, 0.0, 1.0);
    p.high = std::clamp(mean + half, 0.0, 1.0);
    p.measures = {{"slope", "slope per span", std::sqrt(nu)}, {"bound", "bound", mean}};
    out.parameters.push_back(std::move(p));
  }
  if (kept < double(replicates) * options.samples)
    out.remarks.push_back(
        "the limits cut the box: the slopes are of what they leave, and what the bound says of shares holds "
        "in a "
        "whole box only");
  sort_by_share(out);
  return out;
}

}  // namespace renth
