#include <doctest/doctest.h>

#include <cmath>
#include <renth/base/error.hpp>
#include <renth/problem/bound_values.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {

Problem buoy() {
  Problem p;
  p.space =
      Space({continuous("radius", 3, 8), continuous("draft", 1, 6), choice("hull", {"steel", "composite"})});
  p.fixed = {{"depth", "", "m", 50.0}, {"site", "", "", std::string("north")}};
  p.axes = {{"period", "s", {5, 6, 8}}};
  for (const char* name : {"power", "absorbed", "double_power", "bandwidth"}) {
    p.responses.emplace_back();
    p.responses.back().name = name;
  }
  p.responses[1].axis = 0;
  p.responses[2].derive = std::make_shared<const Expression>("2 * power", p.symbols(), "test");
  p.responses[3].derive =
      std::make_shared<const Expression>("width(absorbed, double_power)", p.symbols(), "test");
  return p;
}

}  // namespace

TEST_CASE("limits know fixed parameters and choices, and are margins") {
  Problem p = buoy();
  const Limit limit = p.limit("hull == 'steel' || draft * 5 <= depth - 25", "test");
  CHECK(limit.margin(Eigen::Vector3d(4, 6, 0).data()) == 1);
  CHECK(limit.margin(Eigen::Vector3d(4, 6, 1).data()) == -1);
  CHECK(limit.margin(Eigen::Vector3d(4, 3, 1).data()) == 10);
  CHECK_THROWS_WITH_AS(p.limit("draft + 1", "test"), doctest::Contains("condition is needed"), Error);
  CHECK_THROWS_WITH_AS(p.limit("power > 3", "test"), doctest::Contains("unknown name power"), Error);
}

TEST_CASE("settings by name become points, the rest nominal, and what means nothing is refused") {
  const Problem p = buoy();
  const Eigen::VectorXd at =
      p.point({{"draft", 2.5}, {"hull", std::string("composite")}, {"depth", 50.0}}, "test");
  CHECK(at == Eigen::Vector3d(5.5, 2.5, 1));
  CHECK(p.point(p.settings(at), "test") == at);
  CHECK_THROWS_WITH_AS(p.point({{"drft", 2.5}}, "here"), doctest::Contains("drft: here: did you mean draft?"),
                       Error);
  CHECK_THROWS_WITH_AS(p.point({{"draft", NAN}}, "here"), doctest::Contains("must be finite"), Error);
  CHECK_THROWS_WITH_AS(p.point({{"hull", 1.0}}, "here"), doctest::Contains("unknown hull 1"), Error);
}

TEST_CASE("derived responses follow from what is set, in chains, and are undefined where that is") {
  const Problem p = buoy();
  CHECK(sources_of(p, 3) == std::vector<int>{0, 1});
  CHECK(sources_of(p, 1) == std::vector<int>{1});
  BoundValues values(p, Eigen::MatrixXd(p.space.nominal().transpose().replicate(3, 1)));
  values.set(0, Eigen::Vector3d(1, 2, NAN));
  Eigen::MatrixXd curve(3, 3);
  curve << 0, 4, 4, 0, 4, 4, 0, 4, 4;
  values.set(1, curve);
  values.derive({3});
  CHECK(values.response(3)(0, 0) == doctest::Approx(2.5));  // above 2 from 5.5 to 8
  CHECK(values.response(3)(1, 0) == doctest::Approx(2));
  CHECK(std::isnan(values.response(3)(2, 0)));
  const Expression keep("double_power < 3 && draft > 1", p.symbols(), "test");
  CHECK(values.values(keep)[0] == 1);
  CHECK(values.values(keep)[1] == -1);
  CHECK(std::isnan(values.values(keep)[2]));
  // What was never set is NaN, not a number that happens to be there.
  BoundValues blank(p, p.space.nominal().transpose());
  blank.derive();
  CHECK(std::isnan(blank.response(3)(0, 0)));
}
