#include <doctest/doctest.h>

#include <renth/base/error.hpp>
#include <renth/plan/trajectories.hpp>
#include <renth/sensitivity/runs.hpp>
#include <support_ranking.hpp>

using namespace renth;
using namespace renth::test;

namespace {

std::string says(const RankedParameter& p) {
  return p.measures.back().word;
}

/// Every path changes every parameter once.
void check_paths(const Space& space, const Plan& plan) {
  const Eigen::Index length = space.size() + 1;
  REQUIRE(plan.size() % length == 0);
  for (Eigen::Index start = 0; start < plan.size(); start += length) {
    std::vector<int> changed(std::size_t(space.size()), 0);
    for (Eigen::Index i = start + 1; i < start + length; ++i) {
      int here = 0;
      for (Eigen::Index j = 0; j < space.size(); ++j)
        if (plan.points(i, j) != plan.points(i - 1, j)) {
          ++here;
          ++changed[std::size_t(j)];
        }
      CHECK(here == 1);
    }
    for (const int c : changed) CHECK(c == 1);
  }
  for (Eigen::Index i = 0; i < plan.size(); ++i) {
    const Eigen::VectorXd point = plan.points.row(i).transpose();
    CHECK(space.allows(point));
    CHECK((space.snap(point) - point).cwiseAbs().maxCoeff() < 1e-12);
  }
}

}  // namespace

TEST_CASE("paths change every parameter once, whatever it is, and keep the limits") {
  Parameter stepped = continuous("s", 0, 1);
  stepped.step = 0.1;
  const Space space({continuous("a", 0, 1), stepped, levels("l", {1, 2, 4}),
                     choice("c", {"red", "green", "blue"}), choice("d", {"yes", "no"})});
  check_paths(space, trajectories(space, 0, 1));
  CHECK(trajectories(space, 0, 1).size() == 60);
  CHECK(trajectories(space, 23, 1).size() == 18);  // rounded down to whole paths
  const Space cut = cube(3).with({{"x1 + x2 <= 1.4", [](const double* x) { return 1.4 - x[0] - x[1]; }}});
  check_paths(cut, trajectories(cut, 0, 2));
  CHECK(trajectories(cut, 0, 2).points == trajectories(cut, 0, 2).points);
  CHECK_THROWS_WITH(trajectories(cube(3), 3, 1), doctest::Contains("make no path"));
  const Space shut =
      cube(2).with({{"x1 = x2", [](const double* x) { return 1e-9 - std::abs(x[0] - x[1]); }}});
  CHECK_THROWS_WITH(trajectories(shut, 0, 1), doctest::Contains("hardly any path"));
}

TEST_CASE("the paths that are taken lie farther apart than those drawn") {
  const auto spread_of = [](const Eigen::MatrixXd& points, Eigen::Index length) {
    double sum = 0;
    for (Eigen::Index a = 0; a < points.rows(); ++a)
      for (Eigen::Index b = 0; b < points.rows(); ++b)
        if (a / length != b / length) sum += (points.row(a) - points.row(b)).norm();
    return sum;
  };
  double chosen = 0, drawn = 0;
  for (Seed seed = 1; seed <= 5; ++seed) {
    chosen += spread_of(trajectories(cube(4), 50, seed).points, 5);
    // With more than a hundred paths all that are drawn are taken; the first ten are as good as any.
    drawn += spread_of(trajectories(cube(4), 5 * 150, seed).points.topRows(50), 5);
  }
  CHECK(chosen > 1.15 * drawn);
}

TEST_CASE("elementary effects are told apart: inert, linear, monotonic, curved or interacting") {
  const Space space({continuous("line", 0, 10), continuous("rise", 0, 1), continuous("bowl", -1, 1),
                     continuous("idle", 0, 1), choice("hull", {"steel", "wood"})});
  const Plan plan = trajectories(space, 0, 1);
  const Data data = data_of(plan.points, [](const Eigen::VectorXd& x) {
    return 0.3 * x[0] + 2 * std::exp(x[1]) + 2 * x[2] * x[2] + 1e-3 * x[3] - 2 * x[4];
  });
  const Ranking r = elementary_effects(space, data);
  CHECK(value(of(r, 0), "mean") == doctest::Approx(3));
  CHECK(value(of(r, 0), "spread") == doctest::Approx(0).scale(1));
  CHECK(says(of(r, 0)) == "linear");
  CHECK(says(of(r, 1)) == "monotonic");
  CHECK(says(of(r, 2)) == "curved or interacting");
  CHECK(says(of(r, 3)) == "inert");
  CHECK(says(of(r, 4)) == "alike everywhere");
  CHECK(value(of(r, 4), "mean") == doctest::Approx(-2));
  CHECK((of(r, 0).direction == "up" && of(r, 2).direction == "mixed" && of(r, 3).direction == "none"));
  CHECK(value(of(r, 2), "steps") == 10);
  // A run that is missing costs the steps beside it, no more.
  std::vector<Eigen::Index> rows;
  for (Eigen::Index i = 0; i < data.size(); ++i)
    if (i != 2) rows.push_back(i);
  const Ranking less = elementary_effects(space, data.rows(rows));
  double before = 0, steps = 0;
  for (const auto& p : r.parameters) before += value(p, "steps");
  for (const auto& p : less.parameters) steps += value(p, "steps");
  CHECK(steps == before - 2);
  CHECK(value(of(less, 0), "mean") == doctest::Approx(3));
}
