#include <doctest/doctest.h>

#include <renth/workflow/expected_time.hpp>

using namespace renth;

TEST_CASE("what a fit will take grows with what it is given, and is told in words") {
  const FitSize small{200, 5, 1, ""};
  const auto more = [&](const auto& change) {
    FitSize size = small;
    change(size);
    return expected_fit_seconds(size, 1);
  };
  // The machine's speed is measured each time, and differs a little.
  const double one = expected_fit_seconds(small, 1);
  CHECK(more([](FitSize& s) { s.outputs = 50; }) > 20 * one);
  CHECK(more([](FitSize& s) { s.runs = 10'000; }) > 5 * one);
  CHECK(more([](FitSize& s) { s.parameters = 100; }) > 1.5 * one);
  CHECK(more([](FitSize& s) { s.kind = "polynomial"; }) < 0.2 * one);
  CHECK(expected_fit_seconds({10'000, 10, 200, ""}, 2) > 600);
  CHECK(duration_text(40) == "40 s");
  CHECK(duration_text(12.2 * 60) == "12 min");
  CHECK(duration_text(130 * 60) == "2 h 10 min");
  CHECK(duration_text(120 * 60) == "2 h");
}
