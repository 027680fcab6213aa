#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>

#include "../../demo/buoy_physics.hpp"

namespace {
const std::vector<double> periods = {5, 6, 7, 8, 9, 10, 12};
}

TEST_CASE("no buoy absorbs more than theory allows an axisymmetric heaving body") {
  // Capture width at most λ/2π (J. Falnes, 2002, section 6.2): P ≤ J λ/2π, J = ρ g² A² T/8π in deep water.
  int failed = 0;
  for (double radius : {3.0, 5.0, 8.0})
    for (double damping : {60.0, 200.0, 400.0})
      for (double plates : {0.0, 3.0, 6.0}) {
        buoy::Design d;
        d.radius = radius;
        d.draft = 4;
        d.damping = damping;
        d.plates = plates;
        buoy::Result r;
        try {
          r = buoy::simulate(d, periods);
        } catch (const buoy::NotConverged&) {
          ++failed;
          continue;
        }
        for (std::size_t i = 0; i < periods.size(); ++i) {
          const double t = periods[i], wavelength = 9.81 * t * t / (2 * M_PI),
                       flux = 1.025 * 9.81 * 9.81 * t / (8 * M_PI);
          CHECK(r.absorbed[i] <= 1.1 * flux * wavelength / (2 * M_PI));  // 50 m are not quite deep at 12 s
          CHECK(r.absorbed[i] > 0);
        }
      }
  CHECK(failed <= 2);
}

TEST_CASE("half the generator gives less power, and a stiffer mooring carries more") {
  buoy::Design d;
  const buoy::Result whole = buoy::simulate(d, periods);
  d.mooring = 120;
  CHECK(buoy::simulate(d, periods).load > 1.5 * whole.load);
  d.mooring = 40;
  d.damping = 60;
  CHECK(buoy::simulate(d, periods).power < 0.8 * whole.power);
}

TEST_CASE("a thin corner does not converge: large floats, many plates, little damping") {
  buoy::Design d;
  d.radius = 8;
  d.draft = 4;
  d.plates = 6;
  d.damping = 40;
  CHECK_THROWS_AS(buoy::simulate(d, periods), buoy::NotConverged);
  d.damping = 200;
  CHECK_NOTHROW(buoy::simulate(d, periods));
}

TEST_CASE("plates move the peak of absorption to longer waves") {
  const auto peak = [](double plates) {
    buoy::Design d;
    d.plates = plates;
    d.draft = 4;
    const buoy::Result r = buoy::simulate(d, periods);
    return std::max_element(r.absorbed.begin(), r.absorbed.end()) - r.absorbed.begin();
  };
  CHECK(peak(6) > peak(0));
}

TEST_CASE("a hull heavier than its water is refused with its masses") {
  buoy::Design d;
  d.radius = 3;
  d.draft = 1.5;
  d.plates = 6;
  CHECK_THROWS_WITH_AS(buoy::simulate(d, periods), doctest::Contains("floats too low"), buoy::TooLow);
  d.plates = 0;
  d.composite = true;
  CHECK(buoy::simulate(d, periods).mass < 10);
}

TEST_CASE("at model scale longer waves are followed one to one") {
  CHECK(buoy::tank_test(60, 0.15, 4.0).heave == doctest::Approx(1).epsilon(0.05));
}
