#include <doctest/doctest.h>

#include <further_functions.hpp>
#include <renth/search/seek.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {

/// How many of some seeds find the largest value to a hundred-thousandth of the range.
int found_in(int seeds, const Space& space, const std::function<double(const Eigen::VectorXd&)>& f,
             double most, double range) {
  const Aims aims = [&](Points x) {
    Eigen::MatrixXd out(x.rows(), 1);
    for (Eigen::Index i = 0; i < x.rows(); ++i) out(i, 0) = f(x.row(i).transpose());
    return out;
  };
  int found = 0;
  for (int seed = 1; seed <= seeds; ++seed)
    found += maximise(space, aims, {}, Seed(seed)).front().value >= most - 1e-5 * range;
  return found;
}

Space box(int d, double low, double high) {
  std::vector<Parameter> p;
  for (int j = 0; j < d; ++j) p.push_back(continuous("x" + std::to_string(j), low, high));
  return Space(p);
}

}  // namespace

TEST_CASE("the global optimum of published functions is found, whatever the seed") {
  const auto minus = [](const bench::TestFunction& f) {
    return [value = f.value](const Eigen::VectorXd& x) { return -value(x); };
  };
  CHECK(found_in(100, bench::branin().space(), minus(bench::branin()), -0.397887357729738, 300) >= 98);
  CHECK(found_in(100, bench::six_humps().space(), minus(bench::six_humps()), 1.031628453489877, 160) >= 98);
  CHECK(found_in(100, bench::hartmann(3).space(), minus(bench::hartmann(3)), 3.86277979, 3.86) >= 98);
  CHECK(found_in(100, bench::hartmann(6).space(), minus(bench::hartmann(6)), 3.32236801, 3.32) >= 98);
}

TEST_CASE("and of functions with thousands of local optima in five parameters") {
  // L. A. Rastrigin, 1974; D. H. Ackley, 1987; the optimum off the middle, where nothing lies by chance.
  const auto moved = [](const Eigen::VectorXd& x) { return Eigen::ArrayXd(x.array() - 0.7); };
  const auto rastrigin = [&](const Eigen::VectorXd& x) {
    const Eigen::ArrayXd z = moved(x);
    return -(10.0 * double(z.size()) + (z.square() - 10 * (2 * M_PI * z).cos()).sum());
  };
  const auto ackley = [&](const Eigen::VectorXd& x) {
    const Eigen::ArrayXd z = moved(x);
    return 20 * std::exp(-0.2 * std::sqrt(z.square().mean())) + std::exp((2 * M_PI * z).cos().mean()) - 20 -
           std::exp(1.0);
  };
  CHECK(found_in(100, box(5, -5.12, 5.12), rastrigin, 0, 200) >= 98);
  CHECK(found_in(100, box(5, -20, 32), ackley, 0, 22) >= 98);
}

TEST_CASE("mixed problems with levels, choices, steps and limits are solved as by brute force") {
  // Steps of 0.25, four levels, three choices and a limit; one continuous parameter on a grid of 4001.
  Parameter draft = continuous("draft", 1, 6);
  draft.step = 0.25;
  const Space plain({continuous("radius", 3, 8), draft, levels("fins", {0, 2, 4, 8}),
                     choice("hull", {"steel", "wood", "glass"})});
  const Space space =
      plain.with({{"draft <= 0.6 radius", [](const double* x) { return 0.6 * x[0] - x[1]; }}});
  const std::vector<std::function<double(const Eigen::VectorXd&)>> fs = {
      [](const Eigen::VectorXd& x) {
        return std::sin(2 * x[0]) * x[1] + (x[3] == 2 ? 1.5 : x[3]) * std::cos(x[0] + 0.5 * x[2]);
      },
      [](const Eigen::VectorXd& x) {
        return -std::abs(x[0] * x[1] - 17.3) - 0.4 * std::abs(x[2] - 3) * (x[3] == 1 ? 0.2 : 1.0);
      },
      [](const Eigen::VectorXd& x) {
        return x[1] * x[1] - x[0] + 0.3 * x[2] * std::sin(5 * x[0]) - 4 * (x[3] == 0) * std::sin(x[1] * 3);
      }};
  for (std::size_t k = 0; k < fs.size(); ++k) {
    CAPTURE(k);
    double brute = -1e300;
    for (int i = 0; i <= 4000; ++i)
      for (int a = 0; a < 21; ++a)
        for (int b = 0; b < 4; ++b)
          for (int c = 0; c < 3; ++c) {
            const Eigen::Vector4d x(3 + 5 * i / 4000.0, space[1].settable(a), space[2].settable(b), c);
            if (space.allows(x)) brute = std::max(brute, fs[k](x));
          }
    CHECK(found_in(100, space, fs[k], brute, 1) >= 98);
  }
}
