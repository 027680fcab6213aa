#include <doctest/doctest.h>

#include <Eigen/Eigenvalues>
#include <bit>
#include <renth/base/error.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/assess.hpp>
#include <renth/plan/box_behnken.hpp>
#include <renth/plan/central_composite.hpp>
#include <renth/plan/fractional_factorial.hpp>
#include <renth/plan/galois.hpp>
#include <renth/plan/orthogonal_array.hpp>
#include <renth/plan/screening.hpp>
#include <renth/plan/two_level.hpp>
#include <renth/terms/confounding.hpp>
#include <renth/terms/moments.hpp>
#include <set>
#include <support.hpp>

using namespace renth;
using namespace renth::test;
using Eigen::MatrixXd;

namespace {

MatrixXd coded(const Space& space, const Plan& plan) {
  return space.to_coded(plan.points);
}
double off_diagonal(MatrixXd m) {
  m.diagonal().setZero();
  return m.cwiseAbs().maxCoeff();
}
std::vector<std::string> letters(int k) {
  std::vector<std::string> names;
  for (int j = 0; j < k; ++j) names.emplace_back(1, char('a' + j));
  return names;
}
/// Are all terms of the family estimable?
bool carries(const Space& space, const Plan& plan, const char* family) {
  return find_confounding(model_matrix(space, parse_terms(space, family), plan.points)).dropped.empty();
}
/// Σx_i and Σx_i² of every block in proportion to its size: blocks are orthogonal to a quadratic.
double block_imbalance(const Space& space, const Plan& plan) {
  const Terms terms = parse_terms(space, "quadratic");
  MatrixXd x = model_matrix(space, terms, plan.points);
  x.rowwise() -= x.colwise().mean().eval();
  double worst = 0;
  for (int b = plan.blocks.minCoeff(); b <= plan.blocks.maxCoeff(); ++b) {
    Eigen::RowVectorXd sum = Eigen::RowVectorXd::Zero(x.cols());
    for (Eigen::Index i = 0; i < plan.size(); ++i)
      if (plan.blocks[i] == b) sum += x.row(i);
    worst = std::max(worst, sum.cwiseAbs().maxCoeff());
  }
  return worst;
}

}  // namespace

TEST_CASE("Hadamard and conference matrices are what they are called") {
  for (int n = 4; n <= 48; n += 4) {
    CAPTURE(n);
    const MatrixXd h = hadamard(n);
    CHECK(h.cwiseAbs().minCoeff() == 1);
    CHECK((h.transpose() * h - n * MatrixXd::Identity(n, n)).norm() < 1e-9);
    CHECK(h.col(0).minCoeff() == 1);
  }
  for (const int n : {4, 6, 8, 10, 12, 14, 16, 18, 20, 24, 26, 28, 30, 32, 50}) {
    CAPTURE(n);
    const MatrixXd c = conference(n);
    REQUIRE(c.rows() == n);
    CHECK(c.diagonal().norm() == 0);
    CHECK((c.transpose() * c - (n - 1) * MatrixXd::Identity(n, n)).norm() < 1e-9);
  }
  CHECK(conference(22).size() == 0);  // 21 is no sum of two squares, so that none exists
  const Galois nine(9);
  for (int a = 1; a < 9; ++a) {
    std::set<int> products;
    for (int b = 1; b < 9; ++b) products.insert(nine.multiply(a, b));
    CHECK(products.size() == 8);  // a field has no divisors of zero
  }
}

TEST_CASE("two-level fractions have the published minimum aberration") {
  // Word lengths 3, 4, 5, 6 by A. Fries and W. G. Hunter, Technometrics 22, 1980, and J. Chen, D. X. Sun,
  // C. F. J. Wu, International Statistical Review 61, 1993.
  struct Known {
    int k, base;
    std::array<int, 4> words;
  };
  for (const Known& known : {Known{5, 4, {0, 0, 1, 0}},
                             {6, 4, {0, 3, 0, 0}},
                             {7, 4, {0, 7, 0, 0}},
                             {7, 5, {0, 1, 2, 0}},
                             {8, 6, {0, 0, 2, 1}},
                             {9, 5, {0, 6, 8, 0}},
                             {9, 6, {0, 1, 4, 2}},
                             {10, 7, {0, 0, 3, 3}},
                             {7, 3, {7, 7, 0, 0}},
                             {10, 5, {0, 10, 16, 0}}}) {
    CAPTURE(known.k);
    CAPTURE(known.base);
    const Fraction f = minimum_aberration(known.k, known.base);
    const std::vector<int> lengths = f.word_lengths();
    for (int i = 0; i < 4 && i + 3 < int(lengths.size()); ++i)
      CHECK(lengths[std::size_t(i + 3)] == known.words[std::size_t(i)]);
    const MatrixXd x = f.coded();
    CHECK(x.rows() == 1 << known.base);
    CHECK(off_diagonal(x.transpose() * x) < 1e-12);
  }
  CHECK(smallest_fraction(8, 5).runs() == 64);
  CHECK(smallest_fraction(7, 4).runs() == 16);
  CHECK(smallest_fraction(15, 3).runs() == 16);
}

TEST_CASE("resolution IV keeps main effects clear of products, and the alias structure is the columns' own") {
  const auto names = letters(6);
  const Fraction f = parse_generators(names, "e = a*b*c, f = -b*c*d");
  CHECK(f.resolution() == 4);
  const MatrixXd x = f.coded();
  for (int i = 0; i < 6; ++i)
    for (int j = 0; j < 6; ++j)
      for (int k = 0; k < j; ++k)
        CHECK(std::abs((x.col(i).array() * x.col(j).array() * x.col(k).array()).sum()) < 1e-12);
  // e = abc and f = −bcd make ef = −ad.
  const std::vector<std::string> lines = aliases(f, names, 2);
  CHECK(std::find(lines.begin(), lines.end(), "a*d = -e*f") != lines.end());
  CHECK((x.col(0).array() * x.col(3).array() + x.col(4).array() * x.col(5).array()).matrix().norm() == 0);
}

TEST_CASE("fractions that cannot be made are refused with the reason") {
  const Space six = cube(6);
  const auto fails = [&](FractionalFactorialOptions o, const char* why) {
    CHECK_THROWS_WITH_AS(fractional_factorial(six, o, 1), doctest::Contains(why), Error);
  };
  fails({.generators = "x5=x1*x2, x5=x1*x3"}, "generated twice");
  fails({.generators = "x5=x1*x2, x6=x1*x2"}, "same column");
  fails({.generators = "x5=x1*x9"}, "not a parameter");
  fails({.generators = "x5=x1*x6, x6=x1*x2"}, "generated itself");
  fails({.generators = "x5"}, "not a generator");
  fails({.runs = 24}, "cannot have 24 runs");
  fails({.resolution = 5, .runs = 16}, "reach resolution IV, not V");
  CHECK_THROWS_AS(parse_resolution("VII"), Error);
  CHECK_THROWS_WITH_AS(fractional_factorial(mixed(), {}, 1), doctest::Contains("choice of 3"), Error);
}

TEST_CASE("Plackett–Burman main effects are orthogonal, and any two columns hold each pair equally often") {
  for (const int k : {3, 7, 11, 19, 26, 35, 47}) {
    CAPTURE(k);
    const Space space = cube(k);
    const Plan plan = plackett_burman(space, {}, 1);
    CHECK(plan.size() == (k + 4) / 4 * 4);
    const MatrixXd x = coded(space, plan);
    CHECK((x.transpose() * x - double(plan.size()) * MatrixXd::Identity(k, k)).norm() < 1e-9);
    CHECK(x.colwise().sum().norm() < 1e-9);
  }
  CHECK_THROWS_WITH_AS(plackett_burman(cube(5), {.runs = 10}, 1), doctest::Contains("multiple of 4"), Error);
  CHECK_THROWS_AS(plackett_burman(cube(48), {}, 1), Error);
}

TEST_CASE(
    "definitive screening: main effects clear of products and squares, squares estimable, folded over") {
  for (const int k : {3, 4, 6, 7, 10, 15, 21}) {
    CAPTURE(k);
    const Space space = cube(k, -1, 1);
    const Plan plan = screening3(space, {.random_order = false}, 1);
    const MatrixXd x = coded(space, plan);
    if (k <= 20) CHECK(plan.size() == 2 * std::max(4, k + k % 2) + 1);
    CHECK(off_diagonal(x.transpose() * x) < 1e-9);
    for (int i = 0; i < k; ++i)
      for (int j = 0; j < k; ++j)
        for (int l = 0; l <= j; ++l)
          CHECK(std::abs((x.col(i).array() * x.col(j).array() * x.col(l).array()).sum()) < 1e-9);
    for (Eigen::Index r = 0; r + 1 < plan.size(); r += 2) CHECK((x.row(r) + x.row(r + 1)).norm() < 1e-12);
    std::string squares = "linear";
    for (int j = 1; j <= k; ++j) squares += " + x" + std::to_string(j) + "^2";
    CHECK(find_confounding(model_matrix(space, parse_terms(space, squares), plan.points)).dropped.empty());
  }
  CHECK_THROWS_AS(screening3(cube(2), {}, 1), Error);
  CHECK_THROWS_AS(screening3(mixed(), {}, 1), Error);
}

TEST_CASE("orthogonal arrays hold every pair of levels equally often in every two columns") {
  struct Size {
    int runs, two, three;
  };
  for (const Size& s : {Size{9, 0, 4},
                        {12, 11, 0},
                        {12, 4, 1},
                        {16, 15, 0},
                        {18, 1, 7},
                        {27, 0, 13},
                        {36, 11, 12},
                        {36, 4, 13}}) {
    CAPTURE(s.runs);
    CAPTURE(s.two);
    const Eigen::MatrixXi a = orthogonal_array_symbols(s.runs, s.two, s.three);
    REQUIRE(a.cols() == s.two + s.three);
    REQUIRE(a.rows() == s.runs);
    for (Eigen::Index i = 0; i < a.cols(); ++i)
      for (Eigen::Index j = 0; j < i; ++j) {
        std::map<std::pair<int, int>, int> count;
        for (int r = 0; r < s.runs; ++r) ++count[{a(r, i), a(r, j)}];
        const int pairs = (i < s.two ? 2 : 3) * (j < s.two ? 2 : 3);
        CHECK(int(count.size()) == pairs);
        for (const auto& [pair, times] : count) CHECK(times == s.runs / pairs);
      }
  }
  CHECK(orthogonal_array_symbols(9, 1, 3).size() == 0);
}

TEST_CASE("an orthogonal array takes the smallest size that carries two- and three-level parameters") {
  std::vector<Parameter> p = {levels("n", {0, 1}), choice("kind", {"red", "green", "blue"})};
  for (int j = 0; j < 3; ++j) p.push_back(continuous("x" + std::to_string(j), 0, 1));
  const Plan plan = orthogonal_array(Space(p), {}, 1);
  CHECK(plan.size() == 18);
  std::map<double, int> kinds;
  for (const double v : plan.points.col(1)) ++kinds[v];
  for (const auto& [kind, count] : kinds) CHECK(count == 6);
  CHECK(orthogonal_array(cube(7), {.levels = 2}, 1).size() == 12);
  CHECK(orthogonal_array(cube(4), {}, 1).size() == 9);
  CHECK_THROWS_WITH_AS(orthogonal_array(cube(5), {.runs = 9}, 1), doctest::Contains("`runs` 18"), Error);
  CHECK_THROWS_AS(orthogonal_array(cube(14), {}, 1), Error);
}

TEST_CASE("a rotatable central composite predicts equally well at equal distance from the centre") {
  for (int k = 2; k <= 6; ++k) {
    CAPTURE(k);
    const Space space = cube(k, -1, 1);
    const Plan plan = central_composite(space, {}, 1);
    const MatrixXd x = coded(space, plan);
    // Fourth moments: Σx⁴ = 3Σx²y².
    const double fourth = x.col(0).array().pow(4).sum(),
                 mixed = (x.col(0).array() * x.col(1).array()).square().sum();
    CHECK(fourth == doctest::Approx(3 * mixed));
    const Terms terms = parse_terms(space, "quadratic");
    const MatrixXd inverse = information(space, terms, plan.points, region_moments(space, terms)).inverse;
    Stream stream(1, "directions");
    double first = 0;
    for (int trial = 0; trial < 5; ++trial) {
      Eigen::VectorXd direction(k);
      for (double& v : direction) v = stream.normal();
      const Eigen::MatrixXd f = model_matrix(space, terms, (0.8 * direction.normalized()).transpose());
      const double variance = (f * inverse * f.transpose())(0, 0);
      if (trial == 0) first = variance;
      CHECK(variance == doctest::Approx(first));
    }
  }
}

TEST_CASE("axial distances are those of their definitions") {
  const auto alpha = [](const char* axial, int k) {
    CentralCompositeOptions o;
    parse_axial(axial, o);
    const Space space = cube(k, -1, 1);
    return coded(space, central_composite(space, o, 1)).cwiseAbs().maxCoeff();
  };
  CHECK(alpha("face", 3) == doctest::Approx(1));
  CHECK(alpha("rotatable", 3) == doctest::Approx(std::pow(8, 0.25)));
  CHECK(alpha("spherical", 4) == doctest::Approx(2));
  CHECK(alpha("1.25", 2) == doctest::Approx(1.25));
  CHECK(alpha("inscribed", 3) == doctest::Approx(1));
  CentralCompositeOptions o;
  parse_axial("orthogonal", o);
  const Space space = cube(3, -1, 1);
  const Plan plan = central_composite(space, o, 1);
  MatrixXd squares = coded(space, plan).array().square();
  squares.rowwise() -= squares.colwise().mean().eval();
  CHECK(off_diagonal(squares.transpose() * squares) < 1e-9);
  parse_axial("inscribed", o);
  const MatrixXd x = coded(space, central_composite(space, o, 1));
  CHECK(x.array().pow(4).col(0).sum() ==
        doctest::Approx(3 * (x.col(0).array() * x.col(1).array()).square().sum()));
  CHECK_THROWS_AS(parse_axial("far", o), Error);
  CHECK_THROWS_AS(parse_axial("-1", o), Error);
}

TEST_CASE("central composites carry a quadratic from two to ten parameters, and tell what leaves the span" *
          doctest::test_suite("long")) {
  for (int k = 2; k <= 10; ++k) {
    CAPTURE(k);
    const Plan plan = central_composite(cube(k), {}, 1);
    CHECK(carries(cube(k), plan, "quadratic"));
    CHECK(plan.notes.at(0).find("`axial=face`") != std::string::npos);
  }
  CHECK_THROWS_AS(central_composite(cube(1), {}, 1), Error);
  CHECK_THROWS_AS(central_composite(cube(11), {}, 1), Error);
  const Space sizes({levels("n", {0, 1, 2}), continuous("x", 0, 1)});
  CHECK_THROWS_WITH_AS(central_composite(sizes, {}, 1), doctest::Contains("`axial=face`"), Error);
  CentralCompositeOptions face;
  parse_axial("face", face);
  CHECK(central_composite(sizes, face, 1).size() == 13);
}

TEST_CASE("blocks of a central composite are orthogonal to every term; two stages are one design in blocks") {
  for (const auto& [k, blocks] : {std::pair{2, 2}, {3, 2}, {3, 3}, {4, 3}, {5, 2}, {6, 3}}) {
    CAPTURE(k);
    CAPTURE(blocks);
    const Space space = cube(k, -1, 1);
    CentralCompositeOptions o;
    o.blocks = blocks;
    const Plan plan = central_composite(space, o, 1);
    CHECK(plan.blocks.maxCoeff() == blocks - 1);
    CHECK(block_imbalance(space, plan) < 1e-9);
    for (Eigen::Index i = 1; i < plan.size(); ++i) CHECK(plan.blocks[i] >= plan.blocks[i - 1]);

    CentralCompositeOptions first = o, second = o;
    first.stage = CentralCompositeOptions::Stage::corners;
    second.stage = CentralCompositeOptions::Stage::axial;
    second.first_block = blocks - 1;
    const Plan a = central_composite(space, first, 1), b = central_composite(space, second, 1);
    CHECK(a.size() + b.size() == plan.size());
    Plan both = a;
    both.points.conservativeResize(plan.size(), Eigen::NoChange);
    both.points.bottomRows(b.size()) = b.points;
    both.blocks.conservativeResize(plan.size());
    both.blocks.tail(b.size()) = b.blocks;
    CHECK(block_imbalance(space, both) < 1e-9);
    CHECK(carries(space, both, "quadratic"));
  }
  CentralCompositeOptions o;
  o.blocks = 4;
  CHECK_THROWS_WITH_AS(central_composite(cube(3), o, 1), doctest::Contains("use 1, 2, 3"), Error);
}

TEST_CASE("a Box–Behnken plan is orthogonal in its linear terms, balanced, and never visits a corner") {
  const int edges[] = {12, 24, 40, 48, 56, 112, 120, 160};
  for (int k = 3; k <= 10; ++k) {
    CAPTURE(k);
    const Space space = cube(k, -1, 1);
    const Plan plan = box_behnken(space, {.centre_runs = 3}, 1);
    CHECK(plan.size() == edges[k - 3] + 3);
    const MatrixXd x = coded(space, plan);
    CHECK(off_diagonal(x.transpose() * x) < 1e-12);
    CHECK(x.colwise().sum().norm() < 1e-12);
    CHECK((x.transpose() * x).diagonal().maxCoeff() == (x.transpose() * x).diagonal().minCoeff());
    CHECK(x.cwiseAbs().rowwise().sum().maxCoeff() <= 4);
    CHECK(carries(space, plan, "quadratic"));
  }
  CHECK_THROWS_AS(box_behnken(cube(2), {}, 1), Error);
  CHECK_THROWS_AS(box_behnken(mixed(), {}, 1), Error);
}

TEST_CASE(
    "Box–Behnken blocks are orthogonal where they exist, and the message lists them where they do not") {
  for (const auto& [k, blocks] :
       {std::pair{4, 3}, {5, 2}, {6, 2}, {7, 2}, {8, 7}, {9, 5}, {9, 10}, {10, 2}}) {
    CAPTURE(k);
    CAPTURE(blocks);
    const Space space = cube(k, -1, 1);
    const Plan plan = box_behnken(space, {.centre_runs = blocks, .blocks = blocks}, 1);
    CHECK(plan.blocks.maxCoeff() == blocks - 1);
    CHECK(block_imbalance(space, plan) < 1e-9);
  }
  CHECK_THROWS_WITH_AS(box_behnken(cube(5), {.blocks = 3}, 1), doctest::Contains("use 1, 2"), Error);
  CHECK_THROWS_WITH_AS(box_behnken(cube(3), {.blocks = 2}, 1), doctest::Contains("use 1"), Error);
}
