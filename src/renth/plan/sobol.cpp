#include <boost/random/sobol.hpp>
#include <renth/error.hpp>
#include <renth/plan/sobol.hpp>

namespace renth {
namespace {

std::uint32_t reverse_bits(std::uint32_t x) {
  x = (x >> 1 & 0x55555555U) | (x & 0x55555555U) << 1;
  x = (x >> 2 & 0x33333333U) | (x & 0x33333333U) << 2;
  x = (x >> 4 & 0x0f0f0f0fU) | (x & 0x0f0f0f0fU) << 4;
  return __builtin_bswap32(x);
}

/// Burley 2020, listing 3: a permutation in which a bit depends only on lower ones.
std::uint32_t laine_karras(std::uint32_t x, std::uint32_t seed) {
  x += seed;
  x ^= x * 0x6c50b47cU;
  x ^= x * 0xb82f1e52U;
  x ^= x * 0xc7afe638U;
  x ^= x * 0x8d22f6e6U;
  return x;
}

/// The top 32 bits of the sequence, row by row.
template <class Use>
void walk(Eigen::Index count, Eigen::Index dimensions, std::uint64_t first, const Use& use) {
  if (dimensions > 3667)
    throw Error("the Sobol' sequence has 3667 dimensions", "sobol", "use latin-hypercube");
  boost::random::sobol engine(static_cast<std::size_t>(dimensions));
  const auto d = static_cast<std::uint64_t>(dimensions);
  // Boost leaves the origin out: its point i is point i + 1 of the sequence.
  if (first > 1) engine.discard((first - 1) * d);
  for (Eigen::Index i = 0; i < count; ++i)
    for (Eigen::Index j = 0; j < dimensions; ++j)
      use(i, j, first == 0 && i == 0 ? 0U : static_cast<std::uint32_t>(engine() >> 32));
}

}  // namespace

Eigen::MatrixXd sobol_points(Eigen::Index count, Eigen::Index dimensions, std::uint64_t first) {
  Eigen::MatrixXd out(count, dimensions);
  walk(count, dimensions, first,
       [&](Eigen::Index i, Eigen::Index j, std::uint32_t x) { out(i, j) = x * 0x1p-32; });
  return out;
}

Eigen::MatrixXd scrambled_sobol_points(Eigen::Index count, Eigen::Index dimensions, Seed seed,
                                       std::string_view purpose, std::uint64_t first) {
  std::vector<std::uint32_t> key(static_cast<std::size_t>(dimensions));
  for (std::size_t j = 0; j < key.size(); ++j)
    key[j] = static_cast<std::uint32_t>(Stream(seed, purpose, j)());
  Eigen::MatrixXd out(count, dimensions);
  walk(count, dimensions, first, [&](Eigen::Index i, Eigen::Index j, std::uint32_t x) {
    // Half a unit of the 32nd bit keeps every point inside the open cube.
    out(i, j) = (reverse_bits(laine_karras(reverse_bits(x), key[j])) + 0.5) * 0x1p-32;
  });
  return out;
}

Plan sobol(const Space& space, const SobolOptions& options, Seed seed) {
  const int runs = options.runs > 0 ? options.runs : suggested_runs(space);
  constexpr std::uint64_t chunk = 256, most_misses = 4'000'000;
  Eigen::MatrixXd points(runs, space.size());
  std::uint64_t next = options.first, misses = 0;
  for (Eigen::Index found = 0; found < runs;) {
    const Eigen::MatrixXd unit = scrambled_sobol_points(chunk, space.size(), seed, "sobol plan", next);
    for (std::uint64_t i = 0; i < chunk && found < runs; ++i) {
      ++next;
      Eigen::VectorXd point(space.size());
      for (Eigen::Index j = 0; j < space.size(); ++j)
        point[j] = space.from_unit(j, unit(Eigen::Index(i), j), true);
      if (space.allows(point)) {
        points.row(found++) = point;
        misses = 0;
      } else if (++misses > most_misses) {
        throw Error("the limits leave nothing, or less than a millionth, of the box", "plan sobol",
                    "loosen a limit or narrow the spans to where it holds");
      }
    }
  }
  Plan plan = make_plan(std::move(points), "fill", "sobol", seed);
  plan.options = {{"runs", std::to_string(runs)}, {"first", std::to_string(options.first)}};
  plan.next = next;
  return plan;
}

}  // namespace renth
