#include <boost/math/special_functions/erf.hpp>
#include <cmath>
#include <numeric>
#include <renth/numeric/random.hpp>

namespace renth {
namespace {

std::uint64_t mix(std::uint64_t z) {
  z = (z ^ (z >> 30)) * 0xbf58476d1ce4e5b9ULL;
  z = (z ^ (z >> 27)) * 0x94d049bb133111ebULL;
  return z ^ (z >> 31);
}

}  // namespace

std::uint64_t hash64(std::string_view text, std::uint64_t seed) {
  std::uint64_t h = 0xcbf29ce484222325ULL;
  for (const char c : text) h = (h ^ static_cast<unsigned char>(c)) * 0x100000001b3ULL;
  return mix(h ^ mix(seed + 0x9e3779b97f4a7c15ULL));
}

Stream::Stream(Seed seed, std::string_view purpose, std::uint64_t index) {
  const std::uint64_t key = hash64(purpose, seed);
  key_ = {static_cast<std::uint32_t>(key), static_cast<std::uint32_t>(key >> 32)};
  counter_ = {0, 0, static_cast<std::uint32_t>(index), static_cast<std::uint32_t>(index >> 32)};
}

std::array<std::uint32_t, 4> philox4x32(std::array<std::uint32_t, 4> c, std::array<std::uint32_t, 2> k) {
  for (int round = 0; round < 10; ++round) {
    const std::uint64_t a = 0xD2511F53ULL * c[0], b = 0xCD9E8D57ULL * c[2];
    c = {static_cast<std::uint32_t>(b >> 32) ^ c[1] ^ k[0], static_cast<std::uint32_t>(b),
         static_cast<std::uint32_t>(a >> 32) ^ c[3] ^ k[1], static_cast<std::uint32_t>(a)};
    k[0] += 0x9E3779B9U;
    k[1] += 0xBB67AE85U;
  }
  return c;
}

void Stream::refill() {
  block_ = philox4x32(counter_, key_);
  used_ = 0;
  if (++counter_[0] == 0) ++counter_[1];
}

Stream::result_type Stream::operator()() {
  if (used_ >= 4) refill();
  const std::uint64_t low = block_[used_], high = block_[used_ + 1];
  used_ += 2;
  return high << 32 | low;
}

double Stream::uniform() {
  return (static_cast<double>((*this)() >> 11) + 0.5) * 0x1p-53;
}

double Stream::normal() {
  // erfc⁻¹ keeps full relative accuracy in both tails.
  return -std::sqrt(2.0) * boost::math::erfc_inv(2.0 * uniform());
}

std::uint64_t Stream::below(std::uint64_t n) {
  // Rejection on the largest multiple of n.
  const std::uint64_t limit = max() - max() % n;
  for (;;) {
    const std::uint64_t value = (*this)();
    if (value < limit) return value % n;
  }
}

std::vector<int> Stream::permutation(int n) {
  std::vector<int> order(n);
  std::iota(order.begin(), order.end(), 0);
  for (int i = n - 1; i > 0; --i) std::swap(order[i], order[below(i + 1)]);
  return order;
}

}  // namespace renth
