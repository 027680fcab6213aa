#include <doctest/doctest.h>

#include <algorithm>
#include <atomic>
#include <renth/numeric/parallel.hpp>
#include <stdexcept>
#include <vector>

using namespace renth;

TEST_CASE("a loop within a loop does all of its work, though its neighbour throws") {
  std::atomic<int> half_done{0}, inner_loops{0};
  for (int repeat = 0; repeat < 200; ++repeat)
    CHECK_THROWS_AS(parallel_for(8,
                                 [&](std::int64_t i) {
                                   if (i % 4 == 3) throw std::runtime_error("neighbour");
                                   std::atomic<int> done{0};
                                   parallel_for(50, [&](std::int64_t) { ++done; });
                                   ++inner_loops;
                                   half_done += done < 50;
                                 }),
                    std::runtime_error);
  CHECK(inner_loops > 0);
  CHECK(half_done == 0);
}

TEST_CASE("every index is visited once, on any number of threads") {
  for (const int threads : {1, 2}) {
    const ParallelLimit limit(threads);
    std::vector<int> visits(1000, 0);
    parallel_for(1000, [&](std::int64_t i) { ++visits[std::size_t(i)]; });
    CHECK(std::count(visits.begin(), visits.end(), 1) == 1000);
    parallel_for(0, [](std::int64_t) { FAIL("nothing to do"); });
  }
}
