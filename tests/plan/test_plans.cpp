#include <doctest/doctest.h>

#include <algorithm>
#include <optional>
#include <renth/base/error.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/evenness.hpp>
#include <renth/plan/full_factorial.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/plan/methods.hpp>
#include <renth/plan/random.hpp>
#include <renth/plan/sobol.hpp>
#include <set>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {
const Space limited =
    mixed().with({{"a <= 2 * step - 2", [](const double* x) { return 2 * x[1] - 2 - x[0]; }}});

/// How often each value of a column occurs.
std::map<double, int> counts(const Eigen::VectorXd& column) {
  std::map<double, int> out;
  for (const double v : column) ++out[v];
  return out;
}
}  // namespace

TEST_CASE("a Latin hypercube has one run in each stratum of each span, and even levels and choices") {
  for (const auto criterion :
       {LatinHypercubeOptions::Criterion::none, LatinHypercubeOptions::Criterion::maximin}) {
    const Plan plan = latin_hypercube(mixed(), {.runs = 24, .criterion = criterion, .effort = 0.1}, 5);
    std::set<int> strata;
    for (const double v : plan.points.col(0)) strata.insert(static_cast<int>((v + 2) / 7 * 24));
    CHECK(strata.size() == 24);
    for (const auto& [value, count] : counts(plan.points.col(2))) CHECK(count == 6);
    for (const auto& [value, count] : counts(plan.points.col(3))) CHECK(count == 8);
    for (const auto& [value, count] : counts(plan.points.col(1))) CHECK(count <= 2);
  }
}

TEST_CASE("maximin keeps points farther apart than chance does") {
  const auto distance = [](LatinHypercubeOptions::Criterion c) {
    const Space space = cube(4);
    return evenness(space, latin_hypercube(space, {.runs = 40, .criterion = c, .effort = 0.3}, 1).points)
        .min_distance;
  };
  CHECK(distance(LatinHypercubeOptions::Criterion::maximin) >
        1.8 * distance(LatinHypercubeOptions::Criterion::none));
}

namespace {
/// Everything that can be set is; and asked with what each method needs.
std::optional<Plan> made(const PlanMethod& method, const Space& space, Seed seed) {
  PlanRequest request;
  for (const std::string& o : method.options) {
    if (o == "model") request.model = "linear";
    if (o == "runs" &&
        std::set<std::string>{"orthogonal-array", "fractional-factorial", "corners"}.count(method.name) == 0)
      request.runs = 20;
  }
  try {
    return method.make(space, request, seed);
  } catch (const Error& e) {
    CAPTURE(e.what());
    CHECK_FALSE(e.remedy().empty());
    return std::nullopt;
  }
}
}  // namespace

TEST_CASE("every method obeys limits, steps, levels and choices, or says why it cannot") {
  std::set<std::string> refused;
  for (const PlanMethod& method : plan_methods()) {
    CAPTURE(method.name);
    const auto plan = made(method, limited, 3);
    if (!plan) {
      refused.insert(method.name);
      continue;
    }
    CHECK(plan->origins.size() == static_cast<std::size_t>(plan->size()));
    CHECK(plan->blocks.size() == plan->size());
    for (Eigen::Index i = 0; i < plan->size(); ++i) {
      const Eigen::VectorXd point = plan->points.row(i);
      CHECK(limited.allows(point));
      CHECK(limited.snap(point) == point);
    }
  }
  CHECK(refused == std::set<std::string>{"fractional-factorial", "plackett-burman", "screening3",
                                         "orthogonal-array", "central-composite", "box-behnken", "scatter"});
}

TEST_CASE("a method refuses options that it does not take") {
  const auto refusal = [](const char* method, const PlanRequest& request) -> std::string {
    try {
      plan_method(method).make(cube(3), request, 1);
    } catch (const Error& e) {
      return e.what();
    }
    return "";
  };
  CHECK(refusal("sobol", {.runs = 8}).empty());
  CHECK(refusal("sobol", {.runs = 8, .centre = 2}) ==
        "sobol takes no centre: plan sobol: leave it out; it takes runs");
  CHECK(refusal("full-factorial", {.runs = 8}).find("takes no runs") != std::string::npos);
  CHECK(refusal("box-behnken", {.model = "linear"}).find("takes no model") != std::string::npos);
  CHECK(refusal("latin-hypercube", {.random_order = false}).find("takes no order") != std::string::npos);
  CHECK(refusal("random", {.existing = Eigen::MatrixXd::Zero(1, 3)}).find("takes no include") !=
        std::string::npos);
}

TEST_CASE("the same seed gives the same plan, another seed another") {
  for (const PlanMethod& method : plan_methods()) {
    CAPTURE(method.name);
    const auto a = made(method, cube(4), 3), b = made(method, cube(4), 3), c = made(method, cube(4), 4);
    CHECK(a.has_value() == b.has_value());
    if (!a) continue;
    CHECK(a->points == b->points);
    if (method.name != "corners") CHECK(a->points != c->points);
  }
}

TEST_CASE("the Sobol' sequence starts at its origin and each 2^m points fill every dyadic column") {
  const Eigen::MatrixXd plain = sobol_points(64, 5);
  CHECK(plain.row(0).norm() == 0);
  CHECK(plain(1, 0) == 0.5);
  for (const Eigen::MatrixXd& points : {plain, scrambled_sobol_points(64, 5, 9, "net")})
    for (Eigen::Index j = 0; j < 5; ++j) {
      std::set<int> cells;
      for (const double v : points.col(j)) cells.insert(static_cast<int>(v * 64));
      CHECK(cells.size() == 64);
    }
}

TEST_CASE("scrambling keeps the two-dimensional net of the first two columns") {
  // (0, m, 2)-net: every box of volume 2^-m holds one of 2^m points, whatever its shape.
  const Eigen::MatrixXd points = scrambled_sobol_points(256, 2, 4, "net");
  for (int a = 0; a <= 8; ++a) {
    std::set<std::pair<int, int>> boxes;
    for (Eigen::Index i = 0; i < 256; ++i)
      boxes.insert(
          {static_cast<int>(points(i, 0) * (1 << a)), static_cast<int>(points(i, 1) * (1 << (8 - a)))});
    CHECK(boxes.size() == 256);
  }
}

TEST_CASE("a longer Sobol' plan begins with the shorter one, and continues where it ended") {
  const Plan all = sobol(limited, {.runs = 50}, 2), head = sobol(limited, {.runs = 20}, 2);
  const Plan tail = sobol(limited, {.runs = 30, .first = head.next}, 2);
  CHECK(all.points.topRows(20) == head.points);
  CHECK(all.points.bottomRows(30) == tail.points);
}

TEST_CASE("a full factorial holds every combination once, orthogonal where nothing is forbidden") {
  const Plan plan = full_factorial(cube(4), {.levels = 2, .random_order = false}, 1);
  CHECK(plan.size() == 16);
  const Eigen::MatrixXd coded = cube(4).to_coded(plan.points);
  CHECK((coded.transpose() * coded - 16 * Eigen::MatrixXd::Identity(4, 4)).norm() < 1e-12);
  CHECK(plan.points(1, 0) == 1);  // standard order: the first parameter fastest
  CHECK(std::all_of(plan.origins.begin(), plan.origins.end(),
                    [](const std::string& o) { return o == "corner"; }));
  const Plan mixed_plan = full_factorial(mixed(), {.levels = 3, .replicates = 2}, 1);
  CHECK(mixed_plan.size() == 3 * 3 * 4 * 3 * 2);
  const Plan cut = full_factorial(limited, {.levels = 3}, 1);
  CHECK(cut.size() < 108);
  CHECK(cut.notes.size() == 1);
}

TEST_CASE("impossible plans are refused" * doctest::test_suite("long")) {
  CHECK_THROWS_WITH_AS(full_factorial(cube(12), {.levels = 10}, 1), doctest::Contains("1e+12"), Error);
  CHECK_THROWS_AS(latin_hypercube(cube(2), {.runs = 1}, 1), Error);
  CHECK_THROWS_WITH_AS(plan_method("lattice"), doctest::Contains("latin-hypercube"), Error);
  const Space nothing = cube(2).with({{"never", [](const double*) { return -1.0; }}});
  for (const char* method : {"sobol", "spread", "optimal", "corners"})
    CHECK_FALSE(made(plan_method(method), nothing, 1));
}

TEST_CASE("the suggestion is ten a parameter, or one and a half times the terms of a quadratic") {
  CHECK(suggested_runs(cube(3)) == 30);
  CHECK(suggested_runs(cube(10)) == 100);
  CHECK(suggested_runs(cube(12)) == 137);  // 91 terms
}
