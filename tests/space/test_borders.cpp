#include <doctest/doctest.h>

#include <functional>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/problem/problem.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {

constexpr double infinity = std::numeric_limits<double>::infinity();

Parameter with(Parameter p, const std::function<void(Parameter&)>& change) {
  change(p);
  return p;
}

}  // namespace

TEST_CASE("parameters are made by their sort, with a nominal value that makes sense") {
  CHECK(continuous("radius", 3, 8).nominal == 5.5);
  const Parameter fins = levels("fins", {8, 0, 2, 4});
  CHECK(fins.values == std::vector<double>{0, 2, 4, 8});
  CHECK(fins.low == 0);
  CHECK(fins.high == 8);
  CHECK(fins.nominal == 4);
  const Parameter hull = choice("hull", {"steel", "composite"});
  CHECK(hull.nominal == 0);
  CHECK_NOTHROW(Space({continuous("radius", 3, 8), fins, hull}));
}

TEST_CASE("a space refuses what makes no sense, and says what and where") {
  const Parameter radius = continuous("radius", 3, 8);
  const std::vector<Parameter> wrong = {
      with(radius, [](Parameter& p) { p.nominal = 0.5; }),
      with(radius, [](Parameter& p) { p.nominal = std::nan(""); }),
      with(radius, [](Parameter& p) { p.low = 8; }),
      with(radius, [](Parameter& p) { p.high = infinity; }),
      with(radius, [](Parameter& p) { p.low = -1.7e308, p.high = 1.7e308; }),
      with(radius, [](Parameter& p) { p.step = -1; }),
      with(radius, [](Parameter& p) { p.step = 1e-300; }),
      with(radius,
           [](Parameter& p) {
             p.values = {3, 9};
           }),
      with(radius,
           [](Parameter& p) {
             p.values = {5, 4};
           }),
      with(radius, [](Parameter& p) { p.name = ""; }),
      with(levels("fins", {0, 2}), [](Parameter& p) { p.nominal = 1; }),
      with(levels("fins", {0, 2}), [](Parameter& p) { p.values = {0}; }),
      with(choice("hull", {"a", "b"}),
           [](Parameter& p) {
             p.choices = {"a", "a"};
           }),
      with(choice("hull", {"a", "b"}), [](Parameter& p) { p.nominal = 0.5; }),
      with(choice("hull", {"a", "b"}), [](Parameter& p) { p.nominal = 2; }),
  };
  for (std::size_t i = 0; i < wrong.size(); ++i) {
    CAPTURE(i);
    CHECK_THROWS_AS(Space({wrong[i]}), Error);
  }
  CHECK_THROWS_AS(Space({radius, radius}), Error);
  CHECK_THROWS_WITH_AS(Space({with(radius, [](Parameter& p) { p.nominal = 0.5; })}),
                       "the nominal value 0.5 is outside the span 3 … 8: parameter radius: give one inside",
                       Error);
  CHECK_THROWS_AS(continuous("radius", 8, 3), Error);
  CHECK_THROWS_AS(levels("fins", {2}), Error);
  CHECK_THROWS_AS(choice("hull", {"steel"}), Error);
}

TEST_CASE("points are refused by shape and by value") {
  const Space space({continuous("a", 0, 1), choice("kind", {"red", "green"})});
  Eigen::MatrixXd points(2, 2);
  points << 0.5, 1, 7, 0;  // outside a span is no error: the answer is told to be outside
  CHECK_NOTHROW(check_points(space, points));
  CHECK_THROWS_WITH_AS(check_points(space, Eigen::MatrixXd::Zero(1, 3)),
                       "3 columns for 2 parameters: points: give a column a parameter, in their order",
                       Error);
  for (const double bad : {0.5, -1.0, 2.0, std::nan("")}) {
    points(1, 1) = bad;
    CHECK_THROWS_AS(check_points(space, points), Error);
  }
  points << infinity, 1, 0, 0;
  CHECK_THROWS_AS(check_points(space, points), Error);
}

TEST_CASE("data are refused before a fit can trip over them") {
  const Space space = cube(2);
  const Eigen::MatrixXd inputs = Eigen::MatrixXd::Random(20, 2);
  Eigen::MatrixXd outputs = Eigen::MatrixXd::Random(20, 1);
  CHECK_NOTHROW(make_data(space, inputs, outputs));
  CHECK_THROWS_WITH_AS(make_data(space, inputs, outputs.topRows(10)),
                       "10 outputs for 20 runs: outputs: give a row a run, NaN where a value is missing",
                       Error);
  CHECK_THROWS_AS(make_data(space, Eigen::MatrixXd::Random(20, 3), outputs), Error);
  CHECK_THROWS_AS(make_data(space, inputs, Eigen::MatrixXd(20, 0)), Error);
  outputs(3, 0) = std::nan("");
  CHECK_NOTHROW(make_data(space, inputs, outputs));
  outputs(3, 0) = infinity;
  CHECK_THROWS_AS(make_data(space, inputs, outputs), Error);
  outputs(3, 0) = 0;
  Data data = make_data(space, inputs, outputs);
  data.weights = Eigen::VectorXd::Ones(19);
  CHECK_THROWS_AS(check_data(space, data), Error);
  data.weights = Eigen::VectorXd::Zero(20);
  CHECK_THROWS_AS(check_data(space, data), Error);
  data.weights.resize(0);
  data.blocks = Eigen::VectorXi::Zero(3);
  CHECK_THROWS_AS(check_data(space, data), Error);
}

TEST_CASE("a problem is refused when its parts do not fit") {
  Problem good;
  good.space = Space({continuous("a", 0, 1)});
  good.axes = {{"t", "", {1, 2}}};
  good.responses.resize(3);
  good.responses[0].name = "y";
  good.responses[1].name = "c";
  good.responses[1].axis = 0;
  good.responses[2].name = "z";
  good.responses[2].derive = good.derivation(2, "y + max(c) * a", "z");
  CHECK_NOTHROW(check_problem(good));
  const std::vector<std::pair<const char*, std::function<void(Problem&)>>> changes = {
      {"two names", [](Problem& p) { p.responses[0].name = "a"; }},
      {"no name", [](Problem& p) { p.responses[0].name = "my response"; }},
      {"no axis", [](Problem& p) { p.responses[1].axis = 1; }},
      {"axis down",
       [](Problem& p) {
         p.axes[0].points = {2, 1};
       }},
      {"axis empty", [](Problem& p) { p.axes[0].points.clear(); }},
      {"weight", [](Problem& p) { p.responses[0].weight = 0; }},
      {"accept",
       [](Problem& p) {
         p.responses[0].accept = {2.0, 1.0};
       }},
      {"scenario",
       [](Problem& p) {
         p.scenarios = {{"s", {{"nobody", Goal::Aim::maximise, 0}}, {}, {}}};
       }},
      {"hold",
       [](Problem& p) {
         p.scenarios = {{"s", {}, {}, {{"nobody", 1.0}}}};
       }},
      {"of itself",
       [](Problem& p) {
         p.responses[2].derive = std::make_shared<const Expression>("z + 1", p.symbols(), "z");
       }},
  };
  for (const auto& [what, change] : changes) {
    CAPTURE(what);
    Problem p = good;
    change(p);
    CHECK_THROWS_AS(check_problem(p), Error);
  }
  CHECK_THROWS_AS(good.derivation(2, "z + 1", "z"), Error);
  CHECK_THROWS_AS(good.derivation(2, "y < 1", "z"), Error);
}
