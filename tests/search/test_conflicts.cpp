#include <doctest/doctest.h>

#include <algorithm>
#include <renth/search/conflicts.hpp>
#include <set>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {

/// Responses of two parameters of 0 … 1: power 100 x1, load 200 x1 + 50 x2, mass 30 + 40 x2.
SeekProblem study(
    const std::vector<std::pair<std::string, std::function<double(const double*, const double*)>>>& limits) {
  SeekProblem p;
  p.space = cube(2);
  p.responses = [](Points x) {
    Eigen::MatrixXd y(x.rows(), 3);
    y.col(0) = 100 * x.col(0);
    y.col(1) = 200 * x.col(0) + 50 * x.col(1);
    y.col(2) = 30 + 40 * x.col(1).array();
    return y;
  };
  for (const auto& [text, margin] : limits) p.constraints.push_back({text, margin, 100});
  return p;
}

using Sets = std::set<std::set<std::string>>;
Sets named(const std::vector<Conflict>& found) {
  Sets out;
  for (const Conflict& c : found) {
    std::set<std::string> names;
    for (const auto& give : c.limits) names.insert(give.limit);
    out.insert(names);
  }
  return out;
}

}  // namespace

TEST_CASE("what cannot hold together is named, no more and no less, in ten studies") {
  const auto power = [](double v) {
    return std::pair{"power >= " + std::to_string(int(v)),
                     std::function<double(const double*, const double*)>(
                         [v](const double*, const double* y) { return y[0] - v; })};
  };
  const auto load = [](double v) {
    return std::pair{"load <= " + std::to_string(int(v)),
                     std::function<double(const double*, const double*)>(
                         [v](const double*, const double* y) { return v - y[1]; })};
  };
  const auto mass = [](double v) {
    return std::pair{"mass >= " + std::to_string(int(v)),
                     std::function<double(const double*, const double*)>(
                         [v](const double*, const double* y) { return y[2] - v; })};
  };
  const auto light = [](double v) {
    return std::pair{"mass <= " + std::to_string(int(v)),
                     std::function<double(const double*, const double*)>(
                         [v](const double*, const double* y) { return v - y[2]; })};
  };
  const std::vector<std::pair<SeekProblem, Sets>> studies = {
      {study({power(80), load(150)}), {{"power >= 80", "load <= 150"}}},
      {study({power(120), load(150)}), {{"power >= 120"}}},
      {study({power(50), load(110), mass(45)}), {{"power >= 50", "load <= 110", "mass >= 45"}}},
      {study({mass(60), light(50), power(10)}), {{"mass >= 60", "mass <= 50"}}},
      {study({power(120), mass(80), load(300)}), {{"power >= 120"}, {"mass >= 80"}}},
      {study({power(80), load(150), mass(60), light(40)}),
       {{"power >= 80", "load <= 150"}, {"mass >= 60", "mass <= 40"}}},
      {study({load(-10), power(20)}), {{"load <= -10"}}},
      {study({power(60), load(125), mass(50), light(65)}), {{"power >= 60", "load <= 125", "mass >= 50"}}},
      {study({power(90), load(185), mass(40), light(90)}), {{"power >= 90", "load <= 185", "mass >= 40"}}},
      {study({power(99), load(199), mass(31), light(69)}), {{"power >= 99", "load <= 199", "mass >= 31"}}}};
  for (std::size_t s = 0; s < studies.size(); ++s) {
    CAPTURE(s);
    const std::vector<Conflict> found = conflicts(studies[s].first, {}, 1);
    CHECK(named(found) == studies[s].second);
  }
}

TEST_CASE("how far each would have to give is in its own unit") {
  SeekProblem p = study({{"power >= 80", [](const double*, const double* y) { return y[0] - 80; }},
                         {"load <= 150", [](const double*, const double* y) { return 150 - y[1]; }}});
  const std::vector<Conflict> found = conflicts(p, {}, 1);
  REQUIRE(found.size() == 1);
  // At a load of 150 power is 75; at a power of 80 load is 160.
  CHECK(found[0].limits[0].by == doctest::Approx(5).epsilon(1e-3));
  CHECK(found[0].limits[1].by == doctest::Approx(10).epsilon(1e-3));
  // A hold takes room away, a limit between parameters counts like the others, and what can hold is no
  // conflict.
  p.constraints[0].margin = [](const double*, const double* y) { return y[0] - 60; };
  CHECK(conflicts(p, {}, 1).empty());
  MaximiseOptions held;
  held.hold = {std::nullopt, 1.0};
  CHECK(named(conflicts(p, held, 1)) == Sets{{"power >= 80", "load <= 150"}});
  p.space = p.space.with({{"x1 <= 0.5", [](const double* x) { return 0.5 - x[0]; }}});
  CHECK(named(conflicts(p, {}, 1)) == Sets{{"power >= 80", "x1 <= 0.5"}});
}
