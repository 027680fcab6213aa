#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <boost/random/sobol.hpp>
#include <renth/base/error.hpp>
#include <renth/numeric/sobol_sequence.hpp>

namespace renth {
namespace {

using Word = std::uint32_t;
constexpr Word block = 256;  // points that share the upper bits of their index

inline Word reverse_bits(Word x) {
  x = (x >> 1 & 0x55555555U) | (x & 0x55555555U) << 1;
  x = (x >> 2 & 0x33333333U) | (x & 0x33333333U) << 2;
  x = (x >> 4 & 0x0f0f0f0fU) | (x & 0x0f0f0f0fU) << 4;
  x = (x >> 8 & 0x00ff00ffU) | (x & 0x00ff00ffU) << 8;
  return x >> 16 | x << 16;
}

/// Burley 2020, listing 3: a permutation in which a bit depends only on lower ones.
inline Word laine_karras(Word x, Word seed) {
  x += seed;
  x ^= x * 0x6c50b47cU;
  x ^= x * 0xb82f1e52U;
  x ^= x * 0xc7afe638U;
  x ^= x * 0x8d22f6e6U;
  return x;
}

/// x·2⁻³² through the signed conversion that every vector unit has.
inline double fraction(Word x, double offset) {
  return (double(std::int32_t(x ^ 0x80000000U)) + (0x1p31 + offset)) * 0x1p-32;
}

/// One column: out[i] from base ^ low[i], both with their bits reversed.
[[gnu::always_inline]] inline void fill(Word base, const Word* low, Word count, const Word* key,
                                        double* out) {
  // Half a unit of the 32nd bit keeps scrambled points inside the open cube.
  if (key)
    for (Word i = 0; i < count; ++i) out[i] = fraction(reverse_bits(laine_karras(base ^ low[i], *key)), 0.5);
  else
    for (Word i = 0; i < count; ++i) out[i] = fraction(reverse_bits(base ^ low[i]), 0);
}
void fill_plain(Word base, const Word* low, Word count, const Word* key, double* out) {
  fill(base, low, count, key, out);
}
#if defined(__x86_64__)
[[gnu::target("avx2")]] void fill_avx2(Word base, const Word* low, Word count, const Word* key, double* out) {
  fill(base, low, count, key, out);
}
#endif
auto best_fill() {
#if defined(__x86_64__)
  if (__builtin_cpu_supports("avx2")) return fill_avx2;
#endif
  return fill_plain;
}

/// The 32 direction numbers of each dimension, bits reversed. Point 2^b has the Gray code with bits b
/// and b − 1, so that neighbouring ones give them all.
std::vector<std::array<Word, 32>> direction_numbers(Eigen::Index dimensions) {
  std::vector<std::array<Word, 32>> v(static_cast<std::size_t>(dimensions));
  const auto d = static_cast<std::uint64_t>(dimensions);
  for (int b = 0; b < 32; ++b) {
    boost::random::sobol engine(static_cast<std::size_t>(dimensions));
    engine.discard(((1ULL << b) - 1) * d);  // Boost leaves the origin out
    for (auto& column : v) {
      const Word x = reverse_bits(static_cast<Word>(engine() >> 32));
      column[b] = b == 0 ? x : x ^ column[b - 1];
    }
  }
  return v;
}

Word at_gray_code(const std::array<Word, 32>& v, Word index) {
  Word x = 0;
  for (Word gray = index ^ index >> 1; gray != 0; gray &= gray - 1) x ^= v[std::size_t(__builtin_ctz(gray))];
  return x;
}

Eigen::MatrixXd make(Eigen::Index count, Eigen::Index dimensions, std::uint64_t first,
                     const std::vector<Word>& keys) {
  if (dimensions > 3667)
    throw Error(fmt::format("the Sobol' sequence has 3667 dimensions, not {}", dimensions), "sobol",
                "use latin-hypercube");
  if (first + static_cast<std::uint64_t>(count) > 1ULL << 32)
    throw Error("the Sobol' sequence ends after 2^32 points", "sobol", "use fewer points");
  Eigen::MatrixXd out(count, dimensions);
  const auto v = direction_numbers(dimensions);
  const auto run = best_fill();
  for (Eigen::Index j = 0; j < dimensions; ++j) {
    const auto& column = v[std::size_t(j)];
    std::array<Word, block> low{};
    for (Word l = 0; l < block; ++l) low[l] = at_gray_code(column, l);
    for (std::uint64_t at = first, end = first + static_cast<std::uint64_t>(count); at < end;) {
      const Word l = static_cast<Word>(at % block);
      const Word n = static_cast<Word>(std::min<std::uint64_t>(block - l, end - at));
      run(at_gray_code(column, static_cast<Word>(at - l)), low.data() + l, n,
          keys.empty() ? nullptr : &keys[std::size_t(j)], out.col(j).data() + (at - first));
      at += n;
    }
  }
  return out;
}

}  // namespace

Eigen::MatrixXd sobol_points(Eigen::Index count, Eigen::Index dimensions, std::uint64_t first) {
  return make(count, dimensions, first, {});
}

Eigen::MatrixXd scrambled_sobol_points(Eigen::Index count, Eigen::Index dimensions, Seed seed,
                                       std::string_view purpose, std::uint64_t first) {
  std::vector<Word> keys(static_cast<std::size_t>(dimensions));
  for (std::size_t j = 0; j < keys.size(); ++j) keys[j] = static_cast<Word>(Stream(seed, purpose, j)());
  return make(count, dimensions, first, keys);
}

}  // namespace renth
