#include <fmt/format.h>

#include <algorithm>
#include <renth/base/error.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/even_exchange.hpp>
#include <renth/plan/extend.hpp>
#include <renth/plan/halton.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/plan/random.hpp>
#include <renth/plan/sobol.hpp>
#include <renth/plan/spread.hpp>
#include <renth/space/region.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// The `wanted` strata of `total` that the old values leave emptiest, as values of the column.
std::vector<double> emptiest(const Space& space, Index j, const Eigen::VectorXd& old, int wanted,
                             const Eigen::MatrixXd& sample, Stream& stream) {
  const int total = int(old.size()) + wanted;
  std::vector<double> marginal;
  if (sample.rows() > 0) {
    marginal.assign(sample.col(j).begin(), sample.col(j).end());
    std::sort(marginal.begin(), marginal.end());
  }
  const auto value = [&](int stratum) {
    const double u = (stratum + 0.5) / total;
    return marginal.empty() ? space.from_unit(j, u, true)
                            : marginal[std::size_t(u * double(marginal.size()))];
  };
  // Each old value takes the stratum it lies in, or the nearest free one.
  std::vector<char> taken(std::size_t(total), 0);
  Eigen::VectorXd sorted = old;
  std::sort(sorted.begin(), sorted.end());
  for (const double v : sorted) {
    int best = -1;
    double least = INFINITY;
    for (int s = 0; s < total; ++s) {
      if (taken[std::size_t(s)]) continue;
      const double off = std::abs(value(s) - v);
      if (off <= least + 1e-12) {  // strata are open above: on an edge, the upper one
        least = std::min(off, least);
        best = s;
      }
    }
    taken[std::size_t(best)] = 1;
  }
  std::vector<double> out;
  for (int s = 0; s < total; ++s)
    if (!taken[std::size_t(s)]) out.push_back(value(s));
  const std::vector<int> order = stream.permutation(int(out.size()));
  std::vector<double> shuffled;
  for (const int i : order) shuffled.push_back(out[std::size_t(i)]);
  return shuffled;
}

Plan extend_latin_hypercube(const Space& space, const Plan& old, int runs, Seed seed) {
  const Index n = old.size(), total = n + runs;
  Stream stream(seed, "latin hypercube extension", std::uint64_t(n));
  const Eigen::MatrixXd sample = space.limits().empty()
                                     ? Eigen::MatrixXd()
                                     : sample_region(space, std::max<Index>(4000, 20 * total),
                                                     Values::settable, seed, "latin hypercube marginals");
  Eigen::MatrixXd points(total, space.size());
  points.topRows(n) = old.points;
  for (Index j = 0; j < space.size(); ++j) {
    const std::vector<double> values = emptiest(space, j, old.points.col(j), runs, sample, stream);
    for (int i = 0; i < runs; ++i) points(n + i, j) = values[std::size_t(i)];
  }
  const auto found = old.options.find("criterion");
  const auto criterion =
      found == old.options.end() ? LatinHypercubeOptions::Criterion::maximin : parse_evenness(found->second);
  using C = LatinHypercubeOptions::Criterion;
  const auto moves = std::int64_t(std::clamp(1e8 / double(total), 1e5, 5e5));
  const int forbidden =
      exchange_to_even(space, points, n, evening_of(criterion),
                       criterion == C::none || total > 5000 ? 0 : moves, seed, "latin hypercube extension");
  Plan plan = make_plan(points.bottomRows(runs), "added", "latin-hypercube", seed);
  if (forbidden > 0) {
    const Eigen::MatrixXd instead =
        sample_region(space, runs, Values::settable, seed, "extension replacements");
    int replaced = 0;
    for (Index i = 0; i < runs; ++i)
      if (!space.allows(plan.points.row(i).transpose())) plan.points.row(i) = instead.row(replaced++);
    plan.notes.push_back(
        fmt::format("{} rows are random points of the region, because exchanging could not make them obey "
                    "the limits",
                    replaced));
  }
  if (total % n == 0 && space.limits().empty())
    plan.notes.push_back(
        fmt::format("{} runs in all, a multiple of {}: together an exact Latin hypercube again", total, n));
  else
    plan.notes.push_back(
        fmt::format("the new runs are in the emptiest strata of every parameter; the whole would be an exact "
                    "Latin hypercube with {} more instead of {}",
                    n, runs));
  return plan;
}

}  // namespace

Plan extend(const Space& space, const Plan& old, int runs, Seed seed) {
  if (runs <= 0) runs = int(old.size());
  Plan plan;
  if (old.method == "sobol") {
    plan = sobol(space, {runs, old.next}, seed);
  } else if (old.method == "halton") {
    plan = halton(space, {runs, old.next}, seed);
  } else if (old.method == "random") {
    plan = random_plan(space, runs, seed, old.next);
  } else if (old.method == "latin-hypercube") {
    plan = extend_latin_hypercube(space, old, runs, seed);
    plan.next = old.next + std::uint64_t(runs);
  } else if (old.method == "spread" || old.method == "import") {
    plan = spread(space, {runs, old.points}, seed + old.next);
    plan.next = old.next + std::uint64_t(runs);
  } else {
    throw Error(fmt::format("a {} plan is complete as it is and has no meaning when longer", old.method),
                "plan extend",
                old.method == "hammersley"
                    ? "use halton, which can be continued, or spread"
                    : "use optimal with `include` of this batch for more terms, or spread to fill the gaps");
  }
  std::fill(plan.origins.begin(), plan.origins.end(), "added");
  return plan;
}

}  // namespace renth
