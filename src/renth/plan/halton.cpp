#include <fmt/format.h>

#include <algorithm>
#include <renth/base/error.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/halton.hpp>
#include <renth/plan/sequence.hpp>

namespace renth {
namespace {

std::vector<int> primes(Eigen::Index count) {
  std::vector<int> out;
  for (int n = 2; Eigen::Index(out.size()) < count; ++n)
    if (std::none_of(out.begin(), out.end(), [&](int p) { return n % p == 0; })) out.push_back(n);
  return out;
}

}  // namespace

Eigen::MatrixXd scrambled_halton_points(Eigen::Index count, Eigen::Index dimensions, Seed seed,
                                        std::string_view purpose, std::uint64_t first) {
  if (dimensions > 1000)
    throw Error("the Halton sequence has 1000 dimensions here", "halton", "use latin-hypercube");
  Eigen::MatrixXd out(count, dimensions);
  const std::vector<int> bases = primes(dimensions);
  for (Eigen::Index j = 0; j < dimensions; ++j) {
    const int base = bases[std::size_t(j)];
    Stream stream(seed, purpose, std::uint64_t(j));
    // As many digits as fill the 53 bits of a double; the zeros before a number are digits too.
    std::vector<std::vector<int>> permutation;
    for (double scale = 1; scale > 0x1p-53; scale /= base) permutation.push_back(stream.permutation(base));
    for (Eigen::Index i = 0; i < count; ++i) {
      std::uint64_t rest = first + std::uint64_t(i);
      double value = 0, scale = 1.0 / base;
      for (const std::vector<int>& p : permutation) {
        value += p[std::size_t(rest % std::uint64_t(base))] * scale;
        rest /= std::uint64_t(base);
        scale /= base;
      }
      out(i, j) = std::min(value, 1 - 0x1p-53);
    }
  }
  return out;
}

Plan halton(const Space& space, const HaltonOptions& options, Seed seed) {
  return from_sequence(space, options.runs, options.first, "halton", seed,
                       [&](Eigen::Index n, std::uint64_t at) {
                         return scrambled_halton_points(n, space.size(), seed, "halton plan", at);
                       });
}

Plan hammersley(const Space& space, int runs, Seed seed) {
  if (runs <= 0) runs = suggested_runs(space);
  Eigen::MatrixXd points;
  // The set as a whole must be about as long as it takes for `runs` of it to be allowed.
  for (double length = runs; length < 4e6; length = std::max(length + 1, length * 1.02)) {
    const auto n = Eigen::Index(length);
    Eigen::MatrixXd unit(n, space.size());
    if (space.size() > 1)
      unit.rightCols(space.size() - 1) =
          scrambled_halton_points(n, space.size() - 1, seed, "hammersley plan");
    for (Eigen::Index i = 0; i < n; ++i) unit(i, 0) = (double(i) + 0.5) / double(n);
    points.resize(n, space.size());
    Eigen::Index kept = 0;
    for (Eigen::Index i = 0; i < n; ++i) {
      Eigen::VectorXd point(space.size());
      for (Eigen::Index j = 0; j < space.size(); ++j) point[j] = space.from_unit(j, unit(i, j), true);
      if (space.allows(point)) points.row(kept++) = point;
    }
    if (kept >= runs) {
      // Leave out evenly along the first column what is too many.
      Eigen::MatrixXd chosen(runs, space.size());
      for (int i = 0; i < runs; ++i)
        chosen.row(i) = points.row(Eigen::Index((i + 0.5) * double(kept) / runs));
      Plan plan = make_plan(std::move(chosen), "fill", "hammersley", seed);
      plan.options = {{"runs", std::to_string(runs)}};
      plan.next = std::uint64_t(runs);
      return plan;
    }
    if (kept * 20 < runs) length *= 10;
  }
  throw Error("the limits leave nothing, or less than a millionth, of the box", "plan hammersley",
              "loosen a limit or narrow the spans to where it holds");
}

}  // namespace renth
