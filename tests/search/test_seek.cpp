#include <doctest/doctest.h>

#include <renth/base/error.hpp>
#include <renth/search/seek.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {
Aims merit(const std::function<double(const Eigen::VectorXd&)>& f) {
  return [f](Points x) {
    Eigen::MatrixXd out(x.rows(), 1);
    for (Eigen::Index i = 0; i < x.rows(); ++i) out(i, 0) = f(x.row(i).transpose());
    return out;
  };
}
Responses responses(std::vector<std::function<double(const Eigen::VectorXd&)>> fs) {
  return [fs](Points x) {
    Eigen::MatrixXd out(x.rows(), Eigen::Index(fs.size()));
    for (Eigen::Index i = 0; i < x.rows(); ++i)
      for (std::size_t k = 0; k < fs.size(); ++k) out(i, Eigen::Index(k)) = fs[k](x.row(i).transpose());
    return out;
  };
}
}  // namespace

TEST_CASE("the top of a hill is found to seven digits, and one beyond a limit on the limit") {
  const auto hill =
      merit([](const Eigen::VectorXd& x) { return -std::pow(x[0] - 0.3, 2) - std::pow(x[1] - 0.8, 2); });
  const Maximum free = maximise(cube(2), hill, {}, 1).front();
  CHECK(std::abs(free.point[0] - 0.3) < 1e-6);
  CHECK(std::abs(free.point[1] - 0.8) < 1e-6);
  const Space cut = cube(2).with({{"x1 + x2 <= 0.9", [](const double* x) { return 0.9 - x[0] - x[1]; }}});
  const Maximum edge = maximise(cut, hill, {}, 1).front();
  CHECK(cut.allows(edge.point));
  CHECK(edge.value == doctest::Approx(-0.02).epsilon(0.01));  // (0.2, 0.7)
}

TEST_CASE("the end of a span is not passed by a rounding") {
  const Space space({continuous("a", 100, 400), continuous("b", 0.1, 0.7)});
  for (const Maximum& m :
       maximise(space, merit([](const Eigen::VectorXd& x) { return x[0] - x[1]; }), {}, 1)) {
    CHECK((m.point[0] >= 100 && m.point[0] <= 400));
    CHECK((m.point[1] >= 0.1 && m.point[1] <= 0.7));
  }
}

TEST_CASE("with steps, levels and choices the result is the best of a full enumeration") {
  const Space space = mixed();
  const auto f = [](const Eigen::VectorXd& x) {
    return std::sin(3 * x[1]) * x[2] - std::abs(x[0] - x[1]) + (x[3] == 1 ? 0.5 : 0.0) * x[1];
  };
  const Maximum best = maximise(space, merit(f), {}, 1).front();
  CHECK(space.snap(best.point) == best.point);
  double brute = -1e300;
  for (int i = 0; i < 21; ++i)
    for (int j = 0; j < 4; ++j)
      for (int k = 0; k < 3; ++k)
        for (int a = 0; a <= 7000; ++a)
          brute = std::max(brute,
                           f(Eigen::Vector4d(-2 + a * 0.001, space[1].settable(i), space[2].settable(j), k)));
  CHECK(best.value >= brute - 1e-9);
}

TEST_CASE("holds stay, and one that cannot be set is refused") {
  MaximiseOptions options;
  options.hold = {std::nullopt, 1.5, std::nullopt, 2.0};
  for (const Maximum& m :
       maximise(mixed(), merit([](const Eigen::VectorXd& x) { return x.sum(); }), options, 1)) {
    CHECK(m.point[1] == 1.5);
    CHECK(m.point[3] == 2);
    CHECK(m.point[0] == doctest::Approx(5));
    CHECK(m.point[2] == 8);
  }
  options.hold[1] = 1.55;
  CHECK_THROWS_WITH_AS(maximise(mixed(), merit([](const Eigen::VectorXd&) { return 0.0; }), options, 1),
                       doctest::Contains("cannot be held"), Error);
}

TEST_CASE("desirabilities are straight between their ends") {
  Desirability up{Goal::Aim::maximise, 10, 20};
  CHECK(up(5) == 0);
  CHECK(up(15) == 0.5);
  CHECK(up(30) == 1);
  CHECK(up.outside(5) == 0.5);
  Desirability target{Goal::Aim::target};
  target.low = 0;
  target.target = 4;
  target.high = 6;
  CHECK(target(2) == 0.5);
  CHECK(target(5) == 0.5);
  CHECK(target(4) == 1);
  CHECK(target(7) == 0);
}

TEST_CASE("two goals meet at the best weighted geometric mean, from accept limits to extremes") {
  SeekProblem problem;
  problem.space = cube(2);
  problem.responses = responses({[](const Eigen::VectorXd& x) { return x[0]; },
                                 [](const Eigen::VectorXd& x) { return 1 - x[0] + x[1]; }});
  problem.goals = {{.response = 0}, {.response = 1, .weight = 3}};
  const SeekResult r = seek(problem, {}, 1);
  // d1 = x1, d2 = (1 − x1 + x2)/2: x2 = 1, and x1·(2 − x1)³ is largest at x1 = 1/2.
  CHECK(r.feasible);
  CHECK(r.proposals[0].point[0] == doctest::Approx(0.5).epsilon(1e-4));
  CHECK(r.proposals[0].point[1] == doctest::Approx(1));
  CHECK(r.proposals[0].desirability ==
        doctest::Approx(std::pow(0.5 * std::pow(0.75, 3), 0.25)).epsilon(1e-6));
  REQUIRE(r.proposals.size() == 3);
  for (std::size_t i = 1; i < 3; ++i) {
    CHECK(r.proposals[i].desirability <= r.proposals[i - 1].desirability);
    CHECK((r.proposals[i].point - r.proposals[0].point).norm() >= 0.25 - 1e-9);
  }
  problem.goals[0].accept_min = 0.5;  // desirability now begins there
  CHECK(seek(problem, {}, 1).desirabilities[0].zero == 0.5);
}

TEST_CASE("hard conditions are kept, and when nothing keeps them that is said") {
  SeekProblem problem;
  problem.space = cube(2);
  problem.responses = responses({[](const Eigen::VectorXd& x) { return x[0] + x[1]; }});
  problem.goals = {{.response = 0}};
  problem.constraints = {{"sum <= 1.2", [](const double*, const double* y) { return 1.2 - y[0]; }, 1}};
  const SeekResult r = seek(problem, {}, 1);
  CHECK(r.feasible);
  CHECK(r.proposals[0].responses[0] <= 1.2);
  CHECK(r.proposals[0].responses[0] == doctest::Approx(1.2).epsilon(1e-4));
  CHECK(r.proposals[0].limited_by == std::vector<std::string>{"sum <= 1.2"});
  problem.constraints = {{"sum >= 3", [](const double*, const double* y) { return y[0] - 3; }, 1}};
  const SeekResult none = seek(problem, {}, 1);
  CHECK_FALSE(none.feasible);
  CHECK(none.proposals[0].point.sum() == doctest::Approx(2));  // nearest to holding
  CHECK(none.proposals[0].desirability == 0);
}

namespace {

SeekProblem problem_in(Space space, std::vector<std::function<double(const Eigen::VectorXd&)>> fs,
                       std::vector<Goal> goals) {
  SeekProblem p;
  p.space = std::move(space);
  p.responses = responses(std::move(fs));
  p.goals = std::move(goals);
  return p;
}

}  // namespace

TEST_CASE("parameters that make no difference stay at nominal, are named, and do not set proposals apart") {
  Space space = cube(4);
  std::vector<Parameter> parameters = space.parameters();
  parameters[1].nominal = 0.2;
  parameters[3].nominal = 0.7;
  const SeekProblem p = problem_in(Space(parameters), {[](const Eigen::VectorXd& x) {
                                     return -std::pow(x[0] - 0.4, 2) - std::pow(x[2] - 0.6, 2);
                                   }},
                                   {{0, Goal::Aim::maximise}});
  const SeekResult r = seek(p, {}, 1);
  REQUIRE(r.proposals.size() == 3);
  for (const Proposal& one : r.proposals) {
    CHECK(one.free == std::vector<Eigen::Index>{1, 3});
    CHECK(one.point[1] == 0.2);
    CHECK(one.point[3] == 0.7);
    CHECK(one.limited_by.empty());
  }
  for (int k = 1; k < 3; ++k)
    CHECK(std::hypot(r.proposals[k].point[0] - r.proposals[0].point[0],
                     r.proposals[k].point[2] - r.proposals[0].point[2]) >= 0.2499);
}

TEST_CASE("a parameter that matters elsewhere but not here is free here alone") {
  // Beyond x0 = 0.5 the second one is of no use.
  const SeekProblem p = problem_in(
      cube(2), {[](const Eigen::VectorXd& x) { return x[0] > 0.5 ? 2 + x[0] : x[0] + 0.2 * x[1]; }},
      {{0, Goal::Aim::maximise}});
  SeekOptions one;
  one.proposals = 1;
  const Proposal best = seek(p, one, 1).proposals[0];
  CHECK(best.free == std::vector<Eigen::Index>{1});
  CHECK(best.point[1] == p.space[1].nominal);
  one.search.hold = {0.3, std::nullopt};
  const Proposal held = seek(p, one, 1).proposals[0];
  CHECK(held.free.empty());
  CHECK(held.point[1] == doctest::Approx(1));
}

TEST_CASE("only what binds limits: a limit that is met where the best is anyway does not") {
  Space space = cube(2).with({{"x1 <= 0.4", [](const double* x) { return 0.4 - x[0]; }},
                              {"x1 + x2 <= 0.9", [](const double* x) { return 0.9 - x[0] - x[1]; }}});
  // The best is at (0.4, 0.5), on both limits; beyond the first it would be no better.
  SeekProblem p =
      problem_in(space, {[](const Eigen::VectorXd& x) { return -4 * std::pow(x[0] - 0.4, 2) + 0.1 * x[1]; }},
                 {{0, Goal::Aim::maximise}});
  SeekOptions one;
  one.proposals = 1;
  const Proposal best = seek(p, one, 1).proposals[0];
  CHECK(best.point[0] == doctest::Approx(0.4).epsilon(0.05));
  REQUIRE(best.limited_by.size() == 1);
  CHECK(best.limited_by[0] == "x1 + x2 <= 0.9");
  // A constraint that the best lies on by chance, and an end of a span that nothing pushes against.
  SeekProblem q =
      problem_in(cube(2), {[](const Eigen::VectorXd& x) { return -std::pow(x[0] - 1, 2) - x[1]; }},
                 {{0, Goal::Aim::maximise}});
  q.constraints.push_back({"x1 >= 1", [](const double* x, const double*) { return x[0] - 1; }, 1});
  const Proposal corner = seek(q, one, 1).proposals[0];
  CHECK(corner.limited_by ==
        std::vector<std::string>{"x1 at the high end of its span", "x2 at the low end of its span"});
}

TEST_CASE("what a limit that gives way would bring, and what each goal alone would reach") {
  // The best is at x1 = 1, x2 on the limit: y = 3 x1 + 2 x2, x1 + 2 x2 <= 2.
  SeekProblem p = problem_in(cube(2),
                             {[](const Eigen::VectorXd& x) { return 3 * x[0] + 2 * x[1]; },
                              [](const Eigen::VectorXd& x) { return x[0] + 2 * x[1]; }},
                             {{0, Goal::Aim::maximise}});
  p.constraints.push_back({"b <= 2", [](const double*, const double* y) { return 2 - y[1]; }, 3});
  SeekOptions one;
  one.proposals = 1;
  const SeekResult r = seek(p, one, 1);
  CHECK(r.proposals[0].point[1] == doctest::Approx(0.5));
  CHECK(r.singly.empty());
  std::map<std::string, double> gives;
  for (const Give& g : r.proposals[0].gives) gives[g.limit] = g.per_unit;
  CHECK(gives.size() == 2);
  CHECK(gives["b <= 2"] == doctest::Approx(1).epsilon(1e-5));                          // x2 by a half
  CHECK(gives["x1 at the high end of its span"] == doctest::Approx(2).epsilon(1e-5));  // less x2
  // Two goals: alone each goes to its own end.
  p.goals = {{0, Goal::Aim::maximise}, {1, Goal::Aim::minimise}};
  p.constraints.clear();
  const SeekResult two = seek(p, one, 1);
  REQUIRE(two.singly.size() == 2);
  CHECK(two.singly[0].responses[0] == doctest::Approx(5));
  CHECK(two.singly[0].responses[1] == doctest::Approx(3));
  CHECK(two.singly[1].responses[0] == doctest::Approx(0));
}

TEST_CASE("a span whose end binds is told in steps where it has steps") {
  Parameter draft = continuous("draft", 1, 6);
  draft.step = 0.25;
  const SeekProblem p = problem_in(Space({draft, continuous("x", 0, 1)}),
                                   {[](const Eigen::VectorXd& x) { return 4 * x[0] - x[1] * x[1]; }},
                                   {{0, Goal::Aim::maximise}});
  SeekOptions one;
  one.proposals = 1;
  const Proposal best = seek(p, one, 1).proposals[0];
  REQUIRE(!best.gives.empty());
  CHECK(best.gives[0].limit == "draft at the high end of its span");
  CHECK(best.gives[0].per_unit == doctest::Approx(4));
}
