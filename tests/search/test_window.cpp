#include <doctest/doctest.h>

#include <algorithm>
#include <renth/base/error.hpp>
#include <renth/numeric/sobol_sequence.hpp>
#include <renth/search/box_search.hpp>
#include <renth/search/centring.hpp>
#include <renth/search/window.hpp>
#include <tolerance/exact.hpp>

using namespace renth;
using namespace renth::test;

namespace {

using Index = Eigen::Index;

/// Counts of what is in, summed from the corner, on `n` cells a side of the unit square or cube.
class Cells {
 public:
  Cells(const Function& f, int d, int n) : d_(d), n_(n), sum_(std::size_t(std::pow(n + 1, d)), 0) {
    for (int i = 0; i < n; ++i)
      for (int j = 0; j < n; ++j)
        for (int k = 0; k < (d == 3 ? n : 1); ++k) {
          Eigen::VectorXd x(d);
          x[0] = (i + 0.5) / n, x[1] = (j + 0.5) / n;
          if (d == 3) x[2] = (k + 0.5) / n;
          at(i + 1, j + 1, k + 1) = at(i, j + 1, k + 1) + at(i + 1, j, k + 1) + at(i + 1, j + 1, k) -
                                    at(i, j, k + 1) - at(i, j + 1, k) - at(i + 1, j, k) + at(i, j, k) +
                                    (f(x) <= 0 ? 1 : 0);
        }
  }
  /// The largest volume of a box with faces on every `step`-th cell whose share is at least the target.
  double largest(double target, int step) const {
    double best = 0;
    const int m = n_ / step;
    for (int a = 0; a < m; ++a)
      for (int b = a + 1; b <= m; ++b)
        for (int c = 0; c < m; ++c)
          for (int e = c + 1; e <= m; ++e)
            for (int g = 0; g < (d_ == 3 ? m : 1); ++g)
              for (int h = g + 1; h <= (d_ == 3 ? m : 1); ++h) {
                const double volume = double(b - a) * (e - c) * (h - g) / std::pow(m, d_);
                if (volume > best &&
                    share(a * step, b * step, c * step, e * step, g * step, h * step) >= target)
                  best = volume;
              }
    return best;
  }

 private:
  double share(int a, int b, int c, int e, int g, int h) const {
    if (d_ == 2) g = 0, h = 1;
    const double in = at(b, e, h) - at(a, e, h) - at(b, c, h) - at(b, e, g) + at(a, c, h) + at(a, e, g) +
                      at(b, c, g) - at(a, c, g);
    return in / (double(b - a) * (e - c) * (h - g));
  }
  int& at(int i, int j, int k) { return sum_[index(i, j, k)]; }
  int at(int i, int j, int k) const { return sum_[index(i, j, k)]; }
  std::size_t index(int i, int j, int k) const {
    if (d_ == 2) return k == 0 ? 0 : std::size_t(i * (n_ + 1) + j);  // a layer of zeros beneath
    return std::size_t((i * (n_ + 1) + j) * (n_ + 1) + k);
  }
  int d_, n_;
  std::vector<int> sum_;
};

WindowResult window_in(const Space& space, const Function& f, WindowOptions options, Seed seed) {
  const KnownModel model(space, {{f, at_most(0)}});
  return find_window(model.specification(), options, seed);
}

const Function disc = [](const Eigen::VectorXd& x) { return (x - Eigen::Vector2d(0.55, 0.4)).norm() - 0.35; };
const Function wedge = [](const Eigen::VectorXd& x) {
  return std::max(x[0] + 0.7 * x[1] - 1.1, 0.3 * std::sin(7 * x[0]) - x[1] + 0.25);
};
const Function band = [](const Eigen::VectorXd& x) { return std::abs(x[1] - 0.9 * x[0]) - 0.22; };

/// The share in specification by 300 × 300 cells of the box.
double share_of(const Function& f, const Window& w) {
  constexpr int n = 300;
  int in = 0;
  for (int i = 0; i < n; ++i)
    for (int j = 0; j < n; ++j)
      in +=
          f(w.low + Eigen::Vector2d((i + 0.5) / n, (j + 0.5) / n).cwiseProduct(w.high - w.low)) <= 0 ? 1 : 0;
  return double(in) / (n * n);
}

}  // namespace

TEST_CASE("in two parameters the window is as large as that of brute force") {
  for (const Function& f : {disc, wedge, band})
    for (const double target : {0.9, 0.99}) {
      CAPTURE(target);
      const Cells cells(f, 2, 400);
      const double brute = cells.largest(target, 4);
      const WindowResult r = window_in(cube(2), f, {.within = target}, 1);
      REQUIRE(r.window);
      CHECK(r.window->volume >= 0.98 * brute);
      CHECK(r.window->volume <= 1.05 * brute);  // its faces stand closer than the grid's
      CHECK(share_of(f, *r.window) >= target - 0.002);
    }
}

TEST_CASE("in three parameters too") {
  const Function ball = [](const Eigen::VectorXd& x) {
    return (x - Eigen::Vector3d(0.5, 0.4, 0.6)).norm() - 0.45;
  };
  const Function ridge = [](const Eigen::VectorXd& x) {
    return std::max(std::abs(x[0] - x[1]) - 0.3, x[2] + 0.5 * x[0] - 0.9);
  };
  for (const Function& f : {ball, ridge}) {
    const Cells cells(f, 3, 100);
    const double brute = cells.largest(0.95, 5);
    const WindowResult r = window_in(cube(3), f, {.within = 0.95}, 1);
    REQUIRE(r.window);
    CHECK(r.window->volume >= 0.98 * brute);
    CHECK(r.window->volume <= 1.25 * brute);  // twenty faces a side are few
  }
}

TEST_CASE("the share that a window says it has is that of a fresh sample, in nine of ten") {
  int held = 0, reached = 0;
  for (Seed seed = 1; seed <= 100; ++seed) {
    const WindowResult r =
        window_in(cube(2), seed % 2 ? disc : wedge, {.within = 0.95, .samples = 2048}, seed);
    REQUIRE(r.window);
    const double truth = share_of(seed % 2 ? disc : wedge, *r.window);
    held += truth >= r.window->within.low && truth <= r.window->within.high ? 1 : 0;
    reached += truth >= 0.95 - 0.002 ? 1 : 0;
  }
  CHECK(held >= 90);
  CHECK(reached >= 90);
}

TEST_CASE("in eight parameters no window of a thousand random restarts is larger") {
  const int d = 8;
  const Function f = [](const Eigen::VectorXd& x) {
    double sum = 0;
    for (Index j = 0; j < x.size(); ++j)
      sum += (1 + 0.4 * double(j % 3)) * std::pow(x[j] - 0.35 - 0.04 * double(j), 2);
    return std::max(sum - 0.75, x[0] + x[1] - 1.2);
  };
  const WindowResult r = window_in(cube(d), f, {.within = 0.95}, 1);
  REQUIRE(r.window);
  // Growing from where it is in specification, a side at a time in random order.
  constexpr Index count = 65'536;
  const Eigen::MatrixXd x = sobol_points(count, d, 1);
  std::vector<char> in;
  for (Index i = 0; i < count; ++i) in.push_back(f(x.row(i).transpose()) <= 0);
  std::vector<double> faces;
  for (int i = 0; i <= 40; ++i) faces.push_back(i / 40.0);
  const MarkedSample marked(x, in, std::vector<std::vector<double>>(d, faces));
  double most = 0;
  Stream stream(1, "restarts");
  for (int restart = 0; restart < 1000; ++restart) {
    FaceBox box;
    for (int k = 0; k < d; ++k) {
      const int middle = 10 + int(stream.below(12));
      box.low.push_back(middle - 9), box.high.push_back(middle + 9);
    }
    const auto holds = [&](const FaceBox& b) {
      const auto c = marked.count(b.low, b.high);
      return c.all >= 40 && c.share() >= 0.95;
    };
    if (!holds(box)) continue;
    for (bool better = true; better;) {
      better = false;
      for (const int side : stream.permutation(2 * d)) {
        FaceBox tried = box;
        const auto k = std::size_t(side / 2);
        (side % 2 ? tried.high[k] : tried.low[k]) += side % 2 ? 1 : -1;
        if (tried.low[k] < 0 || tried.high[k] > 40 || !holds(tried)) continue;
        box = tried;
        better = true;
      }
    }
    most = std::max(most, volume_of(marked, box));
  }
  CHECK(most > 0);
  CHECK(r.window->volume >= most);
}

TEST_CASE("steps and levels: ends can be set, and a single value is a window too") {
  Parameter a = continuous("a", 0, 1), b = continuous("b", 0, 4), n = levels("n", {0, 2, 4, 8});
  b.step = 0.5;
  const Space space({a, b, n, choice("c", {"x", "y"})});
  const Function f = [](const Eigen::VectorXd& x) {
    return std::max({x[0] - 0.5, x[1] - 2.2, x[2] - 4, x[3] - 0.5});  // only x of the choices
  };
  const WindowResult r = window_in(space, f, {.within = 0.999}, 1);
  REQUIRE(r.window);
  CHECK(r.window->low[0] == doctest::Approx(0).epsilon(1e-9));
  CHECK(r.window->high[0] == doctest::Approx(0.5).epsilon(0.02));
  CHECK(r.window->low[1] == 0);
  CHECK(r.window->high[1] == 2);  // five of nine values
  CHECK(r.window->high[2] == 4);
  CHECK(r.window->volume == doctest::Approx(r.window->high[0] * 5 / 9 * 3 / 4));
  CHECK(r.moving == std::vector<Index>{0, 1, 2});
  WindowOptions held;
  held.hold = {std::nullopt, std::nullopt, std::nullopt, 1.0};
  CHECK_FALSE(window_in(space, f, held, 1).window);
}

TEST_CASE("scatter narrows the window; a setting that it must hold stays in; by hand it is as asked") {
  const Space still = cube(2), drifting = scattering(2, 0.05, 0, 1);
  const WindowResult exact = window_in(still, disc, {.within = 0.95}, 1),
                     drifts = window_in(drifting, disc, {.within = 0.95}, 1);
  REQUIRE(exact.window);
  REQUIRE(drifts.window);
  CHECK(drifts.window->volume < 0.95 * exact.window->volume);
  WindowOptions round{.within = 0.95};
  round.centre = Eigen::Vector2d(0.24, 0.33);
  const WindowResult held = window_in(still, disc, round, 1);
  REQUIRE(held.window);
  CHECK(held.window->low[0] <= 0.24);
  CHECK(held.window->low[1] <= 0.33);
  CHECK(held.window->volume < exact.window->volume);
  WindowOptions by_hand{.within = 0.95};
  by_hand.by_hand = {{0, {0.4, 0.7}}, {1, {0.3, 0.9}}};
  const WindowResult hand = window_in(still, disc, by_hand, 1);
  REQUIRE(hand.by_hand);
  CHECK(hand.by_hand->volume == doctest::Approx(0.18));
  CHECK(hand.by_hand->within.value == doctest::Approx(share_of(disc, *hand.by_hand)).epsilon(0.005));
}

TEST_CASE("steps lead from all of the region to all in specification; each side says what binds it") {
  const WindowResult r = window_in(cube(2), wedge, {.within = 0.99}, 1);
  REQUIRE(r.steps.size() > 3);
  CHECK(r.steps.front().window.volume == 1);
  CHECK(r.steps.front().parameter == -1);
  for (std::size_t i = 1; i < r.steps.size(); ++i) {
    CHECK(r.steps[i].window.volume < r.steps[i - 1].window.volume);
    CHECK(r.steps[i].parameter >= 0);
  }
  CHECK(r.steps.back().window.within.value == 1);
  CHECK(std::any_of(r.binding.begin(), r.binding.end(), [](const auto& b) { return b.limit == "y1 <= 0"; }));
  // Nothing reaches it: no window, and how far one comes.
  const WindowResult none = window_in(
      cube(2), [](const auto& x) { return 1 + x[0]; }, {.within = 0.5}, 1);
  CHECK_FALSE(none.window);
  CHECK(none.most_within == 0);
}

TEST_CASE("a better centre is found, and the limit between parameters is obeyed") {
  // The yield is largest in the middle of a band that runs aslant, as far from its edges as can be.
  std::vector<Parameter> parameters = scattering(2, 0.1, 0, 1).parameters();
  const Space space = Space(parameters).with({{"x1 <= 0.8", [](const double* x) { return 0.8 - x[0]; }}});
  const KnownModel model(space,
                         {{[](const auto& x) { return std::abs(x[1] - 0.5 * x[0] - 0.2); }, at_most(0.25)},
                          {[](const auto& x) { return x[0]; }, at_least(0.3)}});
  const Centred r = centred(model.specification(), Eigen::Vector2d(0.35, 0.2), {}, 1);
  CHECK(r.after.value > 0.97);  // 0.9747 is the most that there is
  CHECK(r.before.value < 0.8);
  CHECK(space.allows(r.at));
  CHECK(std::abs(r.at[1] - 0.5 * r.at[0] - 0.2) < 0.03);
}
