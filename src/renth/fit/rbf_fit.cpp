#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/fit/blocks.hpp>
#include <renth/fit/rbf_fit.hpp>
#include <renth/fit/replicates.hpp>
#include <renth/fit/standardise.hpp>
#include <renth/numeric/dense.hpp>
#include <renth/numeric/random.hpp>
#include <renth/space/features.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/rbf.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// Distance to the nearest other run, averaged.
double mean_gap(const Eigen::MatrixXd& x) {
  double sum = 0;
  int count = 0;
  for (Index i = 0; i < x.rows(); ++i) {
    double least = std::numeric_limits<double>::infinity();
    for (Index j = 0; j < x.rows(); ++j) {
      const double d = (x.row(i) - x.row(j)).squaredNorm();
      if (d > 1e-16) least = std::min(least, d);
    }
    if (std::isfinite(least)) sum += std::sqrt(least), ++count;
  }
  return count > 0 ? sum / count : 1;
}

struct Solved {
  double error = std::numeric_limits<double>::infinity();  ///< mean square, left out
  Eigen::VectorXd weights;
  double scale = 0;
};

/// A basis so flat that its sum loses more of the digits than this share of the spread is no use anywhere
/// else.
constexpr double most_lost = 1e-10;

/// \param y  n outputs with a spread of 1.
Solved solve(RadialBasis basis, double shape, double smoothing, const Eigen::MatrixXd& x,
             const Eigen::MatrixXd& tail, const Eigen::VectorXd& y) {
  Solved out;
  const RadialSystem system(basis, shape, smoothing, x, tail);
  if (!system.is_definite()) return out;
  out.weights = system.weights(y);
  const auto w = out.weights.head(x.rows()).array();
  if (!(w.abs().sum() * std::numeric_limits<double>::epsilon() < most_lost)) return out;
  const Eigen::ArrayXd diagonal = system.inverse_diagonal();
  const double error = (w / diagonal).square().mean();
  out.scale = (w.square() / diagonal).mean();
  if (std::isfinite(error) && std::isfinite(out.scale)) out.error = error;
  return out;
}

Terms tail_of(const Space& space, RadialBasis basis) {
  return parse_terms(space, basis == RadialBasis::gaussian ? "1" : "linear");
}

/// What is chosen.
struct Shape {
  RadialBasis basis = RadialBasis::cubic;
  double shape = 1, factor = 1, smoothing = 0;
};

Shape choose(const Space& space, const Data& data, const Eigen::VectorXd& y, bool noisy,
             const RbfOptions& options) {
  const Eigen::MatrixXd x = features(space, data.inputs);
  const double gap = mean_gap(x);
  std::vector<double> smoothings = {0};
  if (noisy) smoothings = {1e-4, 1e-3, 1e-2, 0.1, 1};
  Shape best;
  double least = std::numeric_limits<double>::infinity();
  for (const RadialBasis basis : options.bases) {
    const Eigen::MatrixXd tail = model_matrix(space, tail_of(space, basis), data.inputs);
    if (tail.cols() + 1 >= data.size() || column_rank(tail) < tail.cols()) continue;
    const bool shaped = basis == RadialBasis::multiquadric || basis == RadialBasis::gaussian;
    for (const double factor : shaped ? options.shapes : std::vector<double>{1})
      for (const double smoothing : smoothings) {
        const double error = solve(basis, factor * gap, smoothing, x, tail, y).error;
        if (error < least) {
          least = error;
          best = {basis, factor * gap, factor, smoothing};
        }
      }
  }
  if (!std::isfinite(least))
    throw Error(fmt::format("{} runs are too few for radial basis functions with their tail", data.size()),
                "fit rbf", "add runs, remove duplicates, or name `basis=gaussian`, whose tail is a constant");
  return best;
}

}  // namespace

Fit rbf_fit(RbfOptions options) {
  return without_blocks([options](const Space& space, const Data& data,
                                  Seed seed) -> std::unique_ptr<const Surrogate> {
    check_data(space, data);
    const auto [centre, spread, z] = standardise(data, "rbf");
    if (data.size() > options.most_runs)
      throw Error(fmt::format("radial basis functions on {} runs would need too much memory", data.size()),
                  "fit rbf", "use kriging, which goes by nearest runs when there are many");
    const std::vector<int> groups = replicate_groups(data);
    const bool repeated = std::size_t(group_count(groups)) < groups.size();
    const bool noisy = data.noisy || repeated;
    Data part = data;
    if (data.size() > options.part) {
      std::vector<Index> rows;
      const std::vector<int> order = Stream(seed, "rbf part").permutation(int(data.size()));
      for (int i = 0; i < options.part; ++i) rows.push_back(order[std::size_t(i)]);
      part = data.rows(rows);
    }
    const Shape shape = choose(space, part, (part.outputs.col(0).array() - centre) / spread, noisy, options);
    Rbf::State s;
    s.space = Space(space.parameters());
    s.basis = shape.basis;
    s.shape = shape.shape;
    s.shape_factor = shape.factor;
    s.smoothing = shape.smoothing;
    s.runs = features(space, data.inputs);
    s.tail = tail_of(space, shape.basis);
    s.centre = centre;
    s.noisy = data.noisy;
    const Eigen::MatrixXd tail = model_matrix(space, s.tail, data.inputs);
    Solved solved = solve(s.basis, s.shape, s.smoothing, s.runs, tail, z);
    if (!std::isfinite(solved.error)) {  // a part carried it, all runs do not: smooth a little
      s.smoothing = std::max(s.smoothing, 1e-8);
      solved = solve(s.basis, s.shape, s.smoothing, s.runs, tail, z);
    }
    if (!std::isfinite(solved.error))
      throw Error("the matrix of these runs is singular", "fit rbf", "remove near-duplicate runs");
    s.weights = spread * solved.weights;
    s.tail_matrix = tail;
    s.scale = solved.scale * spread * spread;
    return std::make_unique<Rbf>(std::move(s));
  });
}

}  // namespace renth
