#include <doctest/doctest.h>

#include <renth/base/error.hpp>
#include <renth/search/front.hpp>
#include <renth/search/sorted_population.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {

using Objectives = std::function<Eigen::VectorXd(const Eigen::VectorXd&)>;

SeekProblem minimise_all(Space space, int goals, const Objectives& f) {
  SeekProblem p;
  p.space = std::move(space);
  p.responses = [f, goals](Points x) {
    Eigen::MatrixXd y(x.rows(), goals);
    for (Eigen::Index i = 0; i < x.rows(); ++i) y.row(i) = f(x.row(i).transpose()).transpose();
    return y;
  };
  for (int g = 0; g < goals; ++g) p.goals.push_back({.response = g, .aim = Goal::Aim::minimise});
  return p;
}

Eigen::MatrixXd objectives_of(const std::vector<FrontPoint>& front) {
  Eigen::MatrixXd out(Eigen::Index(front.size()), front.front().objectives.size());
  for (std::size_t i = 0; i < front.size(); ++i) out.row(Eigen::Index(i)) = front[i].objectives.transpose();
  return out;
}

/// E. Zitzler, K. Deb, L. Thiele, Evolutionary Computation 8, 2000: functions 1 to 4 and 6.
struct Zdt {
  int number, parameters;
  std::function<double(double)> true_front;  ///< the second objective at the first
  double low = 0, nadir_first = 1, nadir_second = 1;
};

Eigen::VectorXd zdt(int number, const Eigen::VectorXd& x) {
  const Eigen::Index rest = x.size() - 1;
  double first = x[0], g = 0;
  if (number == 4)
    g = 1 + 10.0 * double(rest) +
        (x.tail(rest).array().square() - 10 * (4 * M_PI * x.tail(rest).array()).cos()).sum();
  else if (number == 6)
    g = 1 + 9 * std::pow(x.tail(rest).mean(), 0.25);
  else
    g = 1 + 9 * x.tail(rest).mean();
  if (number == 6) first = 1 - std::exp(-4 * x[0]) * std::pow(std::sin(6 * M_PI * x[0]), 6);
  const double ratio = first / g;
  double h = 1 - std::sqrt(ratio);
  if (number == 2 || number == 6) h = 1 - ratio * ratio;
  if (number == 3) h = 1 - std::sqrt(ratio) - ratio * std::sin(10 * M_PI * first);
  return Eigen::Vector2d(first, g * h);
}

/// The hypervolume that all of the true front has: a fine staircase.
double true_volume(const Zdt& z, const Eigen::Vector2d& reference) {
  constexpr int steps = 100'000;
  double best = INFINITY, volume = 0;
  for (int i = 0; i < steps; ++i) {
    const double f1 = z.low + (1 - z.low) * (i + 0.5) / steps;
    if (f1 > reference[0]) break;
    best = std::min(best, z.true_front(f1));
    volume += std::max(0.0, reference[1] - best) * (1 - z.low) / steps;
  }
  return volume + std::max(0.0, reference[0] - 1) * std::max(0.0, reference[1] - best);
}

Space zdt_space(const Zdt& z) {
  std::vector<Parameter> p;
  for (int j = 0; j < z.parameters; ++j)
    p.push_back(
        continuous("x" + std::to_string(j), z.number == 4 && j > 0 ? -5 : 0, z.number == 4 && j > 0 ? 5 : 1));
  return Space(p);
}

}  // namespace

TEST_CASE("the volume that points dominate is that of boxes") {
  Eigen::MatrixXd two(3, 2), three(2, 3);
  two << 1, 3, 2, 2, 3, 1;
  CHECK(hypervolume(two, Eigen::Vector2d(4, 4)) == doctest::Approx(6));
  three << 0, 0.5, 0, 0.5, 0, 0;
  CHECK(hypervolume(three, Eigen::Vector3d(1, 1, 1)) == doctest::Approx(0.75));
  CHECK(hypervolume(three, Eigen::Vector3d(0.4, 0.4, 0.4)) == 0);
}

TEST_CASE("fronts of two goals come within half a per cent of the true volume" *
          doctest::test_suite("long")) {
  const double least6 = 0.2807753191;
  const std::vector<Zdt> all = {
      {1, 30, [](double f) { return 1 - std::sqrt(f); }},
      {2, 30, [](double f) { return 1 - f * f; }},
      {3, 30, [](double f) { return 1 - std::sqrt(f) - f * std::sin(10 * M_PI * f); }, 0, 0.8518328654},
      {4, 10, [](double f) { return 1 - std::sqrt(f); }},
      {6, 10, [](double f) { return 1 - f * f; }, least6, 1, 1 - least6 * least6}};
  for (const Zdt& z : all) {
    CAPTURE(z.number);
    const SeekProblem p =
        minimise_all(zdt_space(z), 2, [&](const Eigen::VectorXd& x) { return zdt(z.number, x); });
    const std::vector<FrontPoint> found = front(p, {.points = 200}, 1);
    const Eigen::Vector2d reference(1.1 * z.nadir_first, 1.1 * z.nadir_second);
    const double volume = hypervolume(objectives_of(found), reference), exact = true_volume(z, reference);
    CHECK(found.size() <= 200);
    CHECK(volume > 0.995 * exact);
    CHECK(volume < 1.001 * exact);
    for (std::size_t i = 1; i < found.size(); ++i) CHECK(found[i].objectives[1] < found[i - 1].objectives[1]);
    CHECK(std::count_if(found.begin(), found.end(), [](const FrontPoint& f) { return f.knee; }) <= 1);
  }
}

namespace {

/// K. Deb, L. Thiele, M. Laumanns, E. Zitzler, Proc. Congress on Evolutionary Computation 2002: functions 2,
/// 5, 7 of three objectives.
Eigen::VectorXd dtlz(int number, const Eigen::VectorXd& x) {
  const Eigen::ArrayXd rest = x.tail(x.size() - 2).array();
  if (number == 7) {
    const double g = 1 + 9 * rest.mean();
    double h = 3;
    for (int i = 0; i < 2; ++i) h -= x[i] / (1 + g) * (1 + std::sin(3 * M_PI * x[i]));
    return Eigen::Vector3d(x[0], x[1], (1 + g) * h);
  }
  const double g = (rest - 0.5).square().sum(), a = x[0] * M_PI / 2;
  const double b = number == 2 ? x[1] * M_PI / 2 : M_PI / (4 * (1 + g)) * (1 + 2 * g * x[1]);
  return Eigen::Vector3d((1 + g) * std::cos(a) * std::cos(b), (1 + g) * std::cos(a) * std::sin(b),
                         (1 + g) * std::sin(a));
}

/// The largest volume of 200 points of the true front, of several ways of spreading them.
double spread_on_true_front(int number, const Eigen::VectorXd& optimal_rest,
                            const Eigen::Vector3d& reference) {
  std::vector<Contender> dense;
  constexpr int n = 60;
  for (int i = 0; i <= n; ++i)
    for (int j = 0; j <= n; ++j) {
      Eigen::VectorXd x(2 + optimal_rest.size());
      x << double(i) / n, double(j) / n, optimal_rest;
      dense.push_back({x, {}, dtlz(number, x)});
    }
  const std::vector<Contender> spread = evenly(non_dominated(dense), 200);
  Eigen::MatrixXd y(Eigen::Index(spread.size()), 3);
  for (std::size_t i = 0; i < spread.size(); ++i) y.row(Eigen::Index(i)) = spread[i].objectives.transpose();
  return hypervolume(y, reference);
}

}  // namespace

TEST_CASE("fronts of three goals come within a per cent of points spread on the true one" *
          doctest::test_suite("long")) {
  for (const int number : {2, 5, 7}) {
    CAPTURE(number);
    const int parameters = number == 7 ? 22 : 12;
    const SeekProblem p =
        minimise_all(cube(parameters), 3, [&](const Eigen::VectorXd& x) { return dtlz(number, x); });
    const std::vector<FrontPoint> found = front(p, {.points = 200}, 1);
    Eigen::Vector3d nadir(1, 1, 1);
    if (number == 5) nadir << M_SQRT1_2, M_SQRT1_2, 1;
    if (number == 7) nadir << 0.8594, 0.8594, 6;
    const Eigen::Vector3d reference = 1.1 * nadir;
    const double volume = hypervolume(objectives_of(found), reference);
    const Eigen::VectorXd rest = Eigen::VectorXd::Constant(parameters - 2, number == 7 ? 0 : 0.5);
    CHECK(volume > 0.99 * spread_on_true_front(number, rest, reference));
  }
}

TEST_CASE("a front obeys constraints, steps, holds and choices, and asks for two to five goals") {
  Parameter a = continuous("a", 0, 1);
  a.step = 0.05;
  SeekProblem p = minimise_all(
      Space({a, continuous("b", 0, 1), choice("hull", {"steel", "wood"})}), 2, [](const Eigen::VectorXd& x) {
        return Eigen::Vector2d(x[0] + 0.1 * x[1] + 0.2 * x[2], std::pow(1 - x[0], 2) + x[1] * x[1]);
      });
  p.constraints.push_back({"a >= 0.3", [](const double* x, const double*) { return x[0] - 0.3; }, 1});
  const std::vector<FrontPoint> found = front(p, {.points = 30}, 1);
  CHECK(found.size() == 15);  // 0.3, 0.35, … 1: no more can be set
  for (const FrontPoint& f : found) {
    CHECK(f.point[0] >= 0.3 - 1e-12);
    CHECK(p.space.snap(f.point)[0] == f.point[0]);
    CHECK(f.point[1] < 1e-6);
    CHECK(f.point[2] == 0);
  }
  FrontOptions held{.points = 10};
  held.search.hold = {std::nullopt, 0.5, 1.0};
  for (const FrontPoint& f : front(p, held, 1)) CHECK((f.point[1] == 0.5 && f.point[2] == 1));
  p.goals.resize(1);
  CHECK_THROWS_AS(front(p, {}, 1), Error);
  p.goals.resize(2);
  p.constraints.push_back({"a >= 2", [](const double* x, const double*) { return x[0] - 2; }, 1});
  CHECK_THROWS_AS(front(p, {}, 1), Error);
}
