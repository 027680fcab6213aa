#include <doctest/doctest.h>

#include <cmath>
#include <renth/numeric/matern.hpp>
#include <renth/numeric/random.hpp>

using namespace renth;

namespace {
long double exact(long double r) {
  const long double s = std::sqrt(5.0L) * r;
  return (1 + s + s * s / 3) * std::exp(-s);
}
}  // namespace

TEST_CASE("the vector kernel agrees with the formula in extended precision") {
  for (std::size_t n : {1U, 3U, 7U, 8U, 9U, 33U, 500U}) {
    CAPTURE(n);
    std::vector<double> squared(n), out(n);
    Stream stream(1, "matern", n);
    for (double& v : squared) v = std::pow(10, 8 * stream.uniform() - 6);
    squared[0] = 0;
    matern::correlation(squared.data(), out.data(), n);
    for (std::size_t i = 0; i < n; ++i) {
      const long double k = exact(std::sqrt(static_cast<long double>(squared[i])));
      if (k > 1e-40L) CHECK(std::abs(static_cast<double>((out[i] - k) / k)) < 1e-13);
    }
    CHECK(out[0] == 1);
  }
  const double far[] = {1e4, 1e8, 1e300};
  double out[3];
  matern::correlation(far, out, 3);
  for (const double v : out) CHECK((v >= 0 && v < 1e-90));
}

TEST_CASE("sums, slopes and gradients are those of plain loops") {
  const std::size_t n = 77, f = 5;
  Stream stream(2, "loops");
  std::vector<double> runs(n * f), weights(n), point(f), alpha(n), inverse(n);
  for (auto* v : {&runs, &weights, &point, &alpha, &inverse})
    for (double& x : *v) x = stream.normal();
  double sum = 0;
  std::vector<double> squared(n), slope(n), gradient(f, 0), expected(f, 0);
  for (std::size_t i = 0; i < n; ++i) {
    double r2 = 0;
    for (std::size_t k = 0; k < f; ++k) r2 += std::pow(point[k] - runs[k * n + i], 2);
    sum += weights[i] * static_cast<double>(exact(std::sqrt(static_cast<long double>(r2))));
    const double s = std::sqrt(5 * r2), g = 5.0 / 3 * (1 + s) * std::exp(-s) * (alpha[i] * 0.3 - inverse[i]);
    for (std::size_t k = 0; k < f; ++k) expected[k] += g * std::pow(point[k] - runs[k * n + i], 2);
  }
  CHECK(matern::weighted_sum(point.data(), runs.data(), n, f, n, weights.data()) ==
        doctest::Approx(sum).epsilon(1e-12));
  matern::squared_distances(point.data(), runs.data(), n, f, n, squared.data());
  matern::correlation_and_slope(squared.data(), slope.data(), n);
  matern::accumulate_gradient(point.data(), runs.data(), n, f, n, alpha.data(), 0.3, inverse.data(),
                              slope.data(), gradient.data());
  for (std::size_t k = 0; k < f; ++k) CHECK(gradient[k] == doctest::Approx(expected[k]).epsilon(1e-11));
}
