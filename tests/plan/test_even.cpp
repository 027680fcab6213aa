#include <doctest/doctest.h>

#include <algorithm>
#include <bit>
#include <numeric>
#include <renth/base/error.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/evenness.hpp>
#include <renth/plan/extend.hpp>
#include <renth/plan/halton.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/plan/methods.hpp>
#include <renth/plan/random.hpp>
#include <renth/plan/sobol.hpp>
#include <renth/plan/spread.hpp>
#include <renth/space/region.hpp>
#include <set>
#include <support.hpp>

using namespace renth;
using namespace renth::test;
using Eigen::MatrixXd;

namespace {

/// The smallest squared distance of a Latin hypercube on the grid of its ranks.
int rank_distance(const Plan& plan) {
  const Eigen::Index n = plan.size();
  const MatrixXd ranks = (plan.points.array() * double(n) - 0.5).round();
  double least = 1e300;
  for (Eigen::Index i = 0; i < n; ++i)
    for (Eigen::Index k = 0; k < i; ++k) least = std::min(least, (ranks.row(i) - ranks.row(k)).squaredNorm());
  return int(least);
}
std::set<int> strata(const Eigen::VectorXd& column, int n) {
  std::set<int> out;
  for (const double v : column) out.insert(int(v * n));
  return out;
}
/// One per cent of the square: a band round a circle.
Space ring() {
  return cube(2).with({{"ring", [](const double* x) {
                          const double r = std::hypot(x[0] - 0.5, x[1] - 0.5);
                          return 0.004 - std::abs(r - 0.4);
                        }}});
}

}  // namespace

TEST_CASE("Latin hypercubes come close to the best known distances" * doctest::test_suite("long")) {
  // E. R. van Dam and others, Operations Research 55, 2007 (two parameters, proved); best known in three.
  CHECK(rank_distance(latin_hypercube(cube(2), {.runs = 10}, 1)) == 10);
  CHECK(rank_distance(latin_hypercube(cube(2), {.runs = 20, .effort = 0.3}, 1)) == 18);
  CHECK(rank_distance(latin_hypercube(cube(2), {.runs = 30, .effort = 0.3}, 1)) == 29);
  CHECK(rank_distance(latin_hypercube(cube(3), {.runs = 10}, 1)) >= 26);  // 27
  // Squared distances: 98 % of the distance in few parameters, 96 % in ten.
  CHECK(rank_distance(latin_hypercube(cube(4), {.runs = 20}, 1)) >= 0.98 * 0.98 * 138);
  CHECK(rank_distance(latin_hypercube(cube(3), {.runs = 50}, 1)) >= 0.98 * 0.98 * 219);
  CHECK(rank_distance(latin_hypercube(cube(10), {.runs = 100}, 1)) >= 0.96 * 0.96 * 10647);
}

TEST_CASE("the discrepancy criterion lowers the discrepancy, by the formula written out") {
  const Space space = cube(3);
  using C = LatinHypercubeOptions::Criterion;
  const Plan even = latin_hypercube(space, {.runs = 25, .criterion = C::discrepancy, .effort = 0.2}, 1),
             plain = latin_hypercube(space, {.runs = 25, .criterion = C::none}, 1);
  CHECK(centred_discrepancy(even.points) < 0.7 * centred_discrepancy(plain.points));
  for (Eigen::Index j = 0; j < 3; ++j) CHECK(strata(even.points.col(j), 25).size() == 25);
  // One point in the middle of one dimension: CD² = 13/12 − 2 + 1 = 1/12.
  CHECK(centred_discrepancy(MatrixXd::Constant(1, 1, 0.5)) == doctest::Approx(std::sqrt(1.0 / 12)));
  // Two points in two dimensions, term by term.
  MatrixXd two(2, 2);
  two << 0.25, 0.5, 0.75, 1;
  const double s1 = (1 + 0.125 - 0.03125) * 1, s2 = (1 + 0.125 - 0.03125) * (1 + 0.25 - 0.125);
  const double d11 = (1 + 0.25) * 1, d22 = (1 + 0.25) * (1 + 0.5), d12 = (1 + 0.25 - 0.25) * 1;
  CHECK(centred_discrepancy(two) ==
        doctest::Approx(std::sqrt(std::pow(13.0 / 12, 2) - (s1 + s2) + (d11 + d22 + 2 * d12) / 4)));
}

TEST_CASE("each choice gets an even share that fills the space by itself") {
  const Space space({continuous("a", 0, 1), continuous("b", 0, 1), choice("kind", {"red", "green", "blue"})});
  const Plan plan = latin_hypercube(space, {.runs = 30, .effort = 0.5}, 1);
  for (int c = 0; c < 3; ++c) {
    MatrixXd own(0, 2);
    for (Eigen::Index i = 0; i < 30; ++i)
      if (plan.points(i, 2) == c) {
        own.conservativeResize(own.rows() + 1, 2);
        own.row(own.rows() - 1) = plan.points.row(i).head(2);
      }
    CHECK(own.rows() == 10);
    CHECK(evenness(cube(2), own).min_distance > 0.17);  // chance gives about 0.06
  }
  CHECK(evenness(cube(2), plan.points.leftCols(2)).min_distance > 0.08);
}

TEST_CASE("scrambled Halton points are even in every base at once") {
  const MatrixXd points = scrambled_halton_points(216, 3, 7, "halton");
  const int bases[] = {2, 3, 5};
  for (int j = 0; j < 2; ++j) {  // 216 = 2³·3³: each of 8 or 27 slices holds the same number
    const int slices = bases[j] * bases[j] * bases[j];
    std::map<int, int> count;
    for (const double v : points.col(j)) ++count[int(v * slices)];
    CHECK(int(count.size()) == slices);
    for (const auto& [slice, n] : count) CHECK(n == 216 / slices);
  }
  std::map<std::pair<int, int>, int> boxes;  // and each box of 4 × 9 holds six
  for (Eigen::Index i = 0; i < 216; ++i) ++boxes[{int(points(i, 0) * 4), int(points(i, 1) * 9)}];
  CHECK(boxes.size() == 36);
  for (const auto& [box, n] : boxes) CHECK(n == 6);
  CHECK(scrambled_halton_points(16, 3, 7, "halton", 200) == points.bottomRows(16));
}

TEST_CASE("Owen's scrambling keeps every elementary interval of the net, and moves every point") {
  const MatrixXd plain = sobol_points(1024, 4), points = scrambled_sobol_points(1024, 4, 3, "owen");
  CHECK((plain - points).cwiseAbs().rowwise().maxCoeff().minCoeff() > 0);
  // Wherever the plain net puts one point in a box, so does the scrambled one: all shapes of 2^-10 in pairs.
  for (const auto& [a, b] : {std::pair{0, 1}, {1, 2}, {0, 3}})
    for (int cut = 0; cut <= 10; ++cut) {
      std::map<std::pair<int, int>, int> one, two;
      for (Eigen::Index i = 0; i < 1024; ++i) {
        ++one[{int(plain(i, a) * (1 << cut)), int(plain(i, b) * (1 << (10 - cut)))}];
        ++two[{int(points(i, a) * (1 << cut)), int(points(i, b) * (1 << (10 - cut)))}];
      }
      CHECK(one.size() == two.size());
    }
  CHECK(sobol_points(300, 3, 100) == sobol_points(400, 3).bottomRows(300));
}

TEST_CASE("a Hammersley set is more even than its sequence, and inside limits") {
  const Plan set = hammersley(cube(2), 50, 1);
  CHECK(strata(set.points.col(0), 50).size() == 50);
  CHECK(centred_discrepancy(set.points) < centred_discrepancy(random_plan(cube(2), 50, 1).points));
  const Plan few = hammersley(ring(), 15, 1);
  CHECK(few.size() == 15);
  for (Eigen::Index i = 0; i < 15; ++i) CHECK(ring().allows(few.points.row(i).transpose()));
}

TEST_CASE("spread fills one per cent of the box evenly") {
  const Space space = ring();
  CHECK(feasible_share(space, 1) < 0.025);
  const Plan plan = spread(space, {.runs = 20}, 1);
  for (Eigen::Index i = 0; i < 20; ++i) CHECK(space.allows(plan.points.row(i).transpose()));
  // Twenty runs round a circle of circumference 0.8π: 0.126 apart at best.
  const double spread_least = evenness(space, plan.points).min_distance,
               random_least = evenness(space, random_plan(space, 20, 1).points).min_distance;
  CHECK(spread_least > 0.1);
  CHECK(spread_least > 3 * random_least);
}

TEST_CASE("spread keeps away from runs that exist, on steps, levels and choices too") {
  const Space space = mixed();
  const MatrixXd existing = random_plan(space, 15, 1).points;
  const Plan plan = spread(space, {.runs = 12, .existing = existing}, 1);
  const double ours = nearest_distances(space, plan.points, existing).minCoeff();
  double random = 0;
  for (Seed seed = 2; seed < 6; ++seed)
    random =
        std::max(random, nearest_distances(space, random_plan(space, 12, seed).points, existing).minCoeff());
  CHECK(ours > random);
  for (Eigen::Index i = 0; i < 12; ++i)
    CHECK(space.snap(plan.points.row(i).transpose()) == plan.points.row(i).transpose());
}

TEST_CASE("a Latin hypercube doubles and trebles to an exact one; old runs stay") {
  const Space space = cube(3);
  Plan plan = latin_hypercube(space, {.runs = 12, .effort = 0.2}, 1);
  for (const int factor : {2, 3}) {
    const Plan more = extend(space, plan, 12, 5);
    MatrixXd all(plan.size() + more.size(), 3);
    all << plan.points, more.points;
    for (Eigen::Index j = 0; j < 3; ++j) {
      CAPTURE(factor);
      if (factor == 2) CHECK(strata(all.col(j), 24).size() == 24);
      CHECK(strata(all.col(j), int(all.rows())).size() >= std::size_t(all.rows() - all.rows() / 6));
    }
    CHECK(more.origins.at(0) == "added");
    CHECK(nearest_distances(space, more.points, plan.points).minCoeff() > 0.1);
    plan.points = all;
    plan.next = more.next;
  }
}

TEST_CASE("sequences go on where they ended, and plans that are complete say so") {
  const Space space = mixed();
  for (const char* method : {"sobol", "halton", "random"}) {
    CAPTURE(method);
    PlanRequest twenty, thirty;
    twenty.runs = 20;
    thirty.runs = 30;
    const Plan head = plan_method(method).make(space, twenty, 4),
               all = plan_method(method).make(space, thirty, 4);
    CHECK(extend(space, head, 10, 4).points == all.points.bottomRows(10));
  }
  for (const char* method : {"full-factorial", "hammersley", "corners"}) {
    Plan plan = random_plan(space, 10, 1);
    plan.method = method;
    CHECK_THROWS_WITH_AS(extend(space, plan, 5, 1), doctest::Contains("complete as it is"), Error);
  }
}

TEST_CASE("scatter draws have the moments of their distributions") {
  std::vector<Parameter> p;
  for (int j = 0; j < 4; ++j) p.push_back(continuous("x" + std::to_string(j), 1, 20));
  p[0].scatter = {Scatter::Shape::normal, 0.5, false};
  p[1].scatter = {Scatter::Shape::uniform, 0.2, true};
  p[2].scatter = {Scatter::Shape::triangular, 3, false};
  p[3].scatter = {Scatter::Shape::lognormal, 0.3, false};
  const Space space(p);
  const Plan plan = scatter_plan(space, Eigen::Vector4d(10, 10, 10, 10), 40'000, 1);
  const auto mean = [&](int j) { return plan.points.col(j).mean(); };
  const auto sd = [&](int j) { return std::sqrt((plan.points.col(j).array() - mean(j)).square().mean()); };
  for (int j = 0; j < 3; ++j) CHECK(mean(j) == doctest::Approx(10).epsilon(0.003));
  CHECK(sd(0) == doctest::Approx(0.5).epsilon(0.02));
  CHECK(sd(1) == doctest::Approx(2 / std::sqrt(3.0)).epsilon(0.02));
  CHECK(sd(2) == doctest::Approx(3 / std::sqrt(6.0)).epsilon(0.02));
  CHECK(sd(3) / mean(3) == doctest::Approx(0.3).epsilon(0.03));  // a coefficient of variation
  Eigen::VectorXd logs = plan.points.col(3).array().log();
  std::sort(logs.begin(), logs.end());
  CHECK(std::exp(logs[20'000]) == doctest::Approx(10).epsilon(0.01));  // the median is the setting
  CHECK_THROWS_WITH_AS(scatter_plan(cube(2), Eigen::Vector2d(0.5, 0.5), 10, 1),
                       doctest::Contains("no parameter has scatter"), Error);
}

TEST_CASE("corners are all ends, or as many different ones as asked") {
  const Plan all = corners(mixed(), 0, 1);
  CHECK(all.size() == 2 * 2 * 2 * 3);
  CHECK(all.points != corners(mixed(), 0, 2).points);  // in another order
  CHECK(corners(mixed(), 0, 1, false).points == corners(mixed(), 0, 2, false).points);
  const Plan some = corners(cube(25), 40, 1);
  std::set<std::vector<double>> distinct;
  for (Eigen::Index i = 0; i < 40; ++i) {
    const Eigen::VectorXd point = some.points.row(i);
    distinct.emplace(point.begin(), point.end());
  }
  CHECK(distinct.size() == 40);
  CHECK_THROWS_WITH_AS(corners(cube(25), 0, 1), doctest::Contains("`runs=64`"), Error);
  CHECK_THROWS_WITH_AS(corners(cube(2), 9, 1), doctest::Contains("leave 4 corners"), Error);
}

TEST_CASE("the method chosen follows noise, limits, kinds of parameters and what exists") {
  const auto chosen = [](const Space& space, bool noisy, int existing) {
    return choose_plan(space, noisy, existing, {}, 1).method;
  };
  CHECK(chosen(cube(3), false, 0) == "latin-hypercube");
  CHECK(chosen(cube(3), false, 20) == "spread");
  CHECK(chosen(ring(), false, 0) == "spread");
  CHECK(chosen(cube(3), true, 0) == "central-composite");
  CHECK(chosen(cube(8), true, 0) == "screening3");
  CHECK(chosen(mixed(), true, 0) == "optimal");
  CHECK(chosen(Space({levels("n", {0, 1}), choice("kind", {"red", "green"})}), true, 0) == "full-factorial");
}

namespace {

/// Σ 1/∏ δ² over pairs, written out.
double projected(const Eigen::MatrixXd& unit) {
  double sum = 0;
  for (Eigen::Index a = 0; a < unit.rows(); ++a)
    for (Eigen::Index b = 0; b < a; ++b) sum += 1 / (unit.row(a) - unit.row(b)).array().square().prod();
  return sum;
}
/// The distance of a row to its nearest, on average over rows and all choices of so many columns.
double nearest_in(const Eigen::MatrixXd& unit, int columns) {
  double sum = 0, count = 0;
  for (unsigned set = 0; set < 1U << unit.cols(); ++set) {
    if (std::popcount(set) != columns) continue;
    std::vector<Eigen::Index> chosen;
    for (Eigen::Index j = 0; j < unit.cols(); ++j)
      if (set >> j & 1U) chosen.push_back(j);
    const Eigen::MatrixXd part = unit(Eigen::all, chosen);
    for (Eigen::Index a = 0; a < unit.rows(); ++a, ++count) {
      double least = INFINITY;
      for (Eigen::Index b = 0; b < unit.rows(); ++b)
        if (b != a) least = std::min(least, (part.row(a) - part.row(b)).norm());
      sum += least;
    }
  }
  return sum / count;
}

}  // namespace

TEST_CASE("projection: the best of all Latin hypercubes of five and seven runs, by brute force") {
  using L = LatinHypercubeOptions;
  for (const auto& [n, d] : {std::pair(7, 2), std::pair(5, 3)}) {
    std::vector<int> first(std::size_t(n), 0), second;
    std::iota(first.begin(), first.end(), 0);
    second = first;
    double best = INFINITY;
    Eigen::MatrixXd unit(n, d);
    do {
      std::vector<int> third = second;
      if (d == 3) std::sort(third.begin(), third.end());
      do {
        for (int i = 0; i < n; ++i) {
          unit(i, 0) = (i + 0.5) / n;
          unit(i, 1) = (second[std::size_t(i)] + 0.5) / n;
          if (d == 3) unit(i, 2) = (third[std::size_t(i)] + 0.5) / n;
        }
        best = std::min(best, projected(unit));
      } while (d == 3 && std::next_permutation(third.begin(), third.end()));
    } while (std::next_permutation(second.begin(), second.end()));
    const Plan plan = latin_hypercube(cube(d), {.runs = n, .criterion = L::Criterion::projection}, 1);
    CHECK(projected(plan.points) == doctest::Approx(best));
  }
}

TEST_CASE("projection keeps runs apart in every two and three parameters, where maximin does not") {
  using L = LatinHypercubeOptions;
  for (const auto& [n, d] : {std::pair(30, 5), std::pair(60, 8)})
    for (const Seed seed : {1, 2}) {
      const auto made = [&](L::Criterion criterion) {
        return latin_hypercube(cube(d), {.runs = n, .criterion = criterion, .effort = 0.3}, seed).points;
      };
      const Eigen::MatrixXd even = made(L::Criterion::projection), far = made(L::Criterion::maximin);
      CHECK(projected(even) < 0.5 * projected(far));
      CHECK(nearest_in(even, 2) > nearest_in(far, 2));
      CHECK(nearest_in(even, 3) > nearest_in(far, 3));
      for (int j = 0; j < d; ++j) {  // still a Latin hypercube
        std::vector<double> column(even.col(j).begin(), even.col(j).end());
        std::sort(column.begin(), column.end());
        for (int i = 0; i < n; ++i) CHECK(column[std::size_t(i)] == doctest::Approx((i + 0.5) / n));
      }
    }
  // Levels and choices, whose values are shared: each pair of them is met, and nothing breaks.
  const Plan plan = latin_hypercube(mixed(), {.runs = 24, .criterion = L::Criterion::projection}, 1);
  std::set<std::pair<double, double>> met;
  for (int i = 0; i < 24; ++i) met.emplace(plan.points(i, 2), plan.points(i, 3));
  CHECK(met.size() == 12);
}

TEST_CASE("more effort finds a better table, and the recipe says how much") {
  const auto nearest = [](double effort) {
    return evenness(cube(6), latin_hypercube(cube(6), {.runs = 60, .effort = effort}, 3).points).min_distance;
  };
  CHECK(nearest(1) > nearest(0.01));
  const Plan plan = plan_method("latin-hypercube").make(cube(3), {.runs = 10, .effort = 2}, 1);
  CHECK(plan.options.at("effort") == "2");
}
