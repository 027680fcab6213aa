#include <doctest/doctest.h>

#include <algorithm>
#include <renth/base/error.hpp>
#include <renth/numeric/distributions.hpp>
#include <tolerance/exact.hpp>

using namespace renth;
using namespace renth::test;

namespace {

using Shape = Scatter::Shape;

Parameter with(Parameter p, Scatter scatter) {
  p.scatter = std::move(scatter);
  return p;
}

Eigen::MatrixXd drawn(const Space& space, const Eigen::VectorXd& at, Eigen::Index count) {
  const ScatterDraw draw(space);
  return draw.around(at.transpose(), unit_sample(Sampling::sobol, 1, count, draw.dimensions(), 1));
}

std::vector<double> ranks_of(const Eigen::VectorXd& v) {
  std::vector<Eigen::Index> order(std::size_t(v.size()));
  for (std::size_t i = 0; i < order.size(); ++i) order[i] = Eigen::Index(i);
  std::sort(order.begin(), order.end(), [&](auto a, auto b) { return v[a] < v[b]; });
  std::vector<double> out(order.size());
  for (std::size_t i = 0; i < order.size(); ++i) out[std::size_t(order[i])] = double(i);
  return out;
}

double rank_correlation(const Eigen::VectorXd& a, const Eigen::VectorXd& b) {
  const std::vector<double> x = ranks_of(a), y = ranks_of(b);
  const double n = double(x.size()), mean = (n - 1) / 2;
  double xy = 0, xx = 0;
  for (std::size_t i = 0; i < x.size(); ++i)
    xy += (x[i] - mean) * (y[i] - mean), xx += (x[i] - mean) * (x[i] - mean);
  return xy / xx;
}

}  // namespace

TEST_CASE("drifts have the mean and the spread that their distributions say") {
  const double at = 4;
  struct Case {
    Scatter scatter;
    double mean, sd;
  };
  const double cv = 0.2, log = std::log1p(cv * cv);
  for (const Case& c : {Case{{Shape::normal, 0.3}, at, 0.3}, Case{{Shape::normal, 0.02, true}, at, 0.08},
                        Case{{Shape::uniform, 0.3}, at, 0.3 / std::sqrt(3)},
                        Case{{Shape::triangular, 0.3}, at, 0.3 / std::sqrt(6)},
                        // The median is at the setting.
                        Case{{Shape::lognormal, cv}, at * std::exp(log / 2), at * std::exp(log / 2) * cv},
                        Case{{Shape::measured, 0, false, {-0.2, -0.1, 0, 0.5}}, at + 0.05, 0.27}}) {
    CAPTURE(int(c.scatter.shape));
    const Eigen::ArrayXd x =
        drawn(Space({with(continuous("a", 1, 9), c.scatter)}), Eigen::VectorXd::Constant(1, at), 1 << 15);
    CHECK(x.mean() == doctest::Approx(c.mean).epsilon(0.002));
    const double measured = c.scatter.shape == Shape::measured ? 0.12 : 0.01;
    CHECK(std::sqrt((x - x.mean()).square().mean()) == doctest::Approx(c.sd).epsilon(measured));
  }
}

TEST_CASE("densities are the slopes of the distribution functions") {
  for (const Scatter& s : {Scatter{Shape::normal, 0.3},
                           {Shape::uniform, 0.3},
                           {Shape::triangular, 0.3},
                           {Shape::lognormal, 0.2}}) {
    CAPTURE(int(s.shape));
    const Parameter p = with(continuous("a", 1, 9), s);
    for (const double u : {0.1, 0.37, 0.5, 0.81}) {
      const double step = 1e-5, low = scatter_quantile(p, 4, u - step),
                   high = scatter_quantile(p, 4, u + step);
      CHECK(scatter_density(p, 4, 0.5 * (low + high)) ==
            doctest::Approx(2 * step / (high - low)).epsilon(1e-3));
    }
  }
}

TEST_CASE("levels and choices happen by their shares") {
  const Space space({with(levels("n", {0, 2, 8}), {Shape::shares, 0, false, {0.25, 0.5, 0.25}}),
                     with(choice("hull", {"steel", "composite"}), {Shape::shares, 0, false, {0.9, 0.1}})});
  const Eigen::MatrixXd x = drawn(space, Eigen::Vector2d(2, 0), 1 << 14);
  CHECK((x.col(0).array() == 8).cast<double>().mean() == doctest::Approx(0.25).epsilon(0.01));
  CHECK((x.col(1).array() == 1).cast<double>().mean() == doctest::Approx(0.1).epsilon(0.01));
}

TEST_CASE("rank correlations of drifts are those asked for, whatever their distributions") {
  for (const double rank : {-0.7, 0.3, 0.9}) {
    CAPTURE(rank);
    const Space space({with(continuous("a", 1, 9), {Shape::lognormal, 0.3}),
                       with(continuous("b", 1, 9), {Shape::uniform, 0.5}),
                       with(continuous("c", 1, 9), {Shape::triangular, 0.5})},
                      {}, {{0, 1, rank}});
    const Eigen::MatrixXd x = drawn(space, Eigen::Vector3d(4, 5, 6), 1 << 14);
    CHECK(rank_correlation(x.col(0), x.col(1)) == doctest::Approx(rank).epsilon(0.02));
    CHECK(std::abs(rank_correlation(x.col(0), x.col(2))) < 0.02);
  }
}

TEST_CASE("scatter that makes no sense is refused with what to do") {
  const auto refused = [](const Space& space, const std::string& words) {
    try {
      ScatterDraw draw(space);
      FAIL("accepted");
    } catch (const Error& e) {
      CAPTURE(std::string(e.what()));
      CHECK(std::string(e.what()).find(words) != std::string::npos);
    }
  };
  const Parameter a = with(continuous("a", 1, 9), {Shape::normal, 0.3});
  Parameter b = a, c = a;
  b.name = "b", c.name = "c";
  refused(Space({a, b, c}, {}, {{0, 1, 0.9}, {1, 2, 0.9}, {0, 2, -0.9}}), "no correlation matrix");
  refused(Space({a, b}, {}, {{0, 1, 1.0}}), "no rank correlation");
  refused(Space({a, continuous("d", 0, 1)}, {}, {{0, 1, 0.5}}), "d has no scatter");
  refused(Space({with(continuous("a", -1, 9), {Shape::normal, 0.05, true})}), "span contains 0");
  refused(Space({with(continuous("a", -1, 9), {Shape::lognormal, 0.05})}), "span above 0");
  refused(Space({with(continuous("a", 1, 9), {Shape::normal, 0})}), "above 0");
  refused(Space({with(choice("h", {"x", "y"}), {Shape::normal, 0.1})}), "only have shares");
  refused(Space({with(choice("h", {"x", "y"}), {Shape::shares, 0, false, {0.5, 0.4}})}), "add up to 0.9");
}
