#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <renth/numeric/random.hpp>
#include <set>

using namespace renth;

TEST_CASE("Philox4x32-10 gives the published known answers") {
  // Known-answer file of the generator's authors.
  CHECK(philox4x32({0, 0, 0, 0}, {0, 0}) ==
        std::array<std::uint32_t, 4>{0x6627e8d5, 0xe169c58d, 0xbc57ac4c, 0x9b00dbd8});
  const std::uint32_t f = 0xffffffff;
  CHECK(philox4x32({f, f, f, f}, {f, f}) ==
        std::array<std::uint32_t, 4>{0x408f276d, 0x41c83b0e, 0xa20bc7c6, 0x6d5451fd});
}

TEST_CASE("a stream is a function of seed, purpose and index, and of nothing else") {
  const auto first = [](Seed s, const char* p, std::uint64_t i) { return Stream(s, p, i)(); };
  CHECK(first(1, "plan", 0) == first(1, "plan", 0));
  std::set<std::uint64_t> seen;
  for (Seed s = 0; s < 10; ++s)
    for (const char* p : {"plan", "folds", "starts"})
      for (std::uint64_t i = 0; i < 10; ++i) seen.insert(first(s, p, i));
  CHECK(seen.size() == 300);
}

TEST_CASE("uniform, normal and below have their moments and limits") {
  Stream s(7, "moments");
  double sum = 0, square = 0, normal = 0, normal2 = 0;
  constexpr int n = 200'000;
  std::vector<int> counts(7, 0);
  for (int i = 0; i < n; ++i) {
    const double u = s.uniform(), z = s.normal();
    REQUIRE((u > 0 && u < 1));
    sum += u;
    square += u * u;
    normal += z;
    normal2 += z * z;
    ++counts[s.below(7)];
  }
  CHECK(sum / n == doctest::Approx(0.5).epsilon(0.005));
  CHECK(square / n == doctest::Approx(1.0 / 3).epsilon(0.01));
  CHECK(std::abs(normal / n) < 0.01);
  CHECK(normal2 / n == doctest::Approx(1).epsilon(0.01));
  double chi2 = 0;
  for (const int c : counts) chi2 += std::pow(c - n / 7.0, 2) / (n / 7.0);
  CHECK(chi2 < 22.5);  // 0.1 % point of χ² with 6 degrees of freedom
}

TEST_CASE("a permutation holds every number once") {
  std::vector<int> p = Stream(3, "order").permutation(100);
  CHECK_FALSE(std::is_sorted(p.begin(), p.end()));
  std::sort(p.begin(), p.end());
  for (int i = 0; i < 100; ++i) CHECK(p[i] == i);
}
