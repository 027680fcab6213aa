// Random streams that can be asked for by name, so that results never depend on threads or order.
#pragma once
#include <array>
#include <cstdint>
#include <string_view>
#include <vector>

namespace renth {

/// The study's seed. Everything random is a pure function of (seed, purpose, index).
using Seed = std::uint64_t;

/// One stream of random numbers for one purpose.
///
/// Two streams with different (seed, purpose, index) are independent for all practical purposes;
/// the same three give the same numbers on every machine and any number of threads.
///
/// The generator is Philox4x32-10: counter based, no warm-up (J. K. Salmon, M. A. Moraes,
/// R. O. Dror, D. E. Shaw, "Parallel random numbers: as easy as 1, 2, 3", SC'11, 2011).
class Stream {
 public:
  using result_type = std::uint64_t;
  Stream(Seed seed, std::string_view purpose, std::uint64_t index = 0);

  static constexpr result_type min() { return 0; }
  static constexpr result_type max() { return ~result_type{0}; }
  result_type operator()();

  /// Uniform on the open interval (0, 1), with 53 random bits.
  double uniform();
  /// Standard normal, by inversion.
  double normal();
  /// Uniform on 0 … n − 1, without modulo bias; n ≥ 1.
  std::uint64_t below(std::uint64_t n);
  /// A random order of 0 … n − 1.
  std::vector<int> permutation(int n);

 private:
  void refill();
  std::array<std::uint32_t, 2> key_{};
  std::array<std::uint32_t, 4> counter_{};
  std::array<std::uint32_t, 4> block_{};
  int used_ = 4;
};

/// The block of the generator: ten rounds of Philox4x32 on a counter and a key.
std::array<std::uint32_t, 4> philox4x32(std::array<std::uint32_t, 4> counter,
                                        std::array<std::uint32_t, 2> key);

/// A 64-bit hash of a text (FNV-1a) mixed with `seed` (SplitMix64 finaliser). Stable for ever:
/// stored hashes and streams depend on it.
std::uint64_t hash64(std::string_view text, std::uint64_t seed = 0);

}  // namespace renth
