#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/numeric/kernels.hpp>
#include <renth/numeric/random.hpp>
#include <renth/numeric/weighted_sums.hpp>
#include <vector>

using namespace renth;

namespace {

/// The formulas of kernels.hpp in extended precision, without the library's loops.
long double exact(Kernel kernel, const std::vector<long double>& d) {
  long double r2 = 0, product = 1;
  for (const long double x : d) {
    r2 += x * x;
    const long double s = std::sqrt(5.0L) * std::abs(x);
    product *= (1 + s + s * s / 3) * std::exp(-s);
  }
  const long double r = std::sqrt(r2);
  switch (kernel) {
    case Kernel::gaussian:
      return std::exp(-r2 / 2);
    case Kernel::matern52:
      return (1 + std::sqrt(5.0L) * r + 5 * r2 / 3) * std::exp(-std::sqrt(5.0L) * r);
    case Kernel::matern32:
      return (1 + std::sqrt(3.0L) * r) * std::exp(-std::sqrt(3.0L) * r);
    case Kernel::exponential:
      return std::exp(-r);
    default:
      return product;
  }
}

const Kernel all[] = {Kernel::gaussian, Kernel::matern52, Kernel::matern32, Kernel::exponential,
                      Kernel::product52};

}  // namespace

TEST_CASE("vector kernels agree with their formulas in extended precision") {
  for (const Kernel kernel : all)
    for (std::size_t n : {1U, 3U, 7U, 8U, 9U, 33U, 500U}) {
      CAPTURE(name(kernel));
      CAPTURE(n);
      constexpr std::size_t f = 3;
      std::vector<double> runs(n * f), out(n), again(n), slope(n);
      const double point[f] = {0.1, -0.2, 0.3};
      Stream stream(1, "kernels", n);
      for (std::size_t i = 0; i < n; ++i)
        for (std::size_t k = 0; k < f; ++k)
          runs[k * n + i] =
              point[k] + (i == 0 ? 0 : std::pow(10, 5 * stream.uniform() - 4) * stream.normal());
      kernels::correlations(kernel, point, runs.data(), n, f, n, out.data());
      kernels::correlations_and_slopes(kernel, point, runs.data(), n, f, n, again.data(), slope.data());
      for (std::size_t i = 0; i < n; ++i) {
        std::vector<long double> d;
        for (std::size_t k = 0; k < f; ++k) d.push_back(static_cast<long double>(point[k] - runs[k * n + i]));
        const long double k = exact(kernel, d);
        if (k > 1e-40L) CHECK(std::abs(static_cast<double>((out[i] - k) / k)) < 1e-13);
        CHECK(out[i] == again[i]);
      }
      CHECK(out[0] == 1);
    }
}

TEST_CASE("far away every kernel is nothing, never NaN") {
  const double runs[] = {1e2, 1e8, 1e150}, point[] = {0};
  for (const Kernel kernel : all) {
    double out[3], slope[3];
    kernels::correlations_and_slopes(kernel, point, runs, 3, 1, 3, out, slope);
    for (int i = 0; i < 3; ++i) {
      CAPTURE(name(kernel));
      CHECK((out[i] >= 0 && out[i] < 1e-40));
      CHECK((slope[i] >= 0 && slope[i] < 1e-40));
    }
  }
}

TEST_CASE("sums, slopes and gradients are those of plain loops") {
  const std::size_t n = 77, f = 5;
  for (const Kernel kernel : all) {
    CAPTURE(name(kernel));
    Stream stream(2, "loops");
    std::vector<double> runs(n * f), weights(n), point(f), alpha(n), inverse(n);
    for (auto* v : {&runs, &weights, &point, &alpha, &inverse})
      for (double& x : *v) x = stream.normal();
    double sum = 0;
    std::vector<double> k(n), slope(n), gradient(f, 0), expected(f, 0);
    for (std::size_t i = 0; i < n; ++i) {
      std::vector<long double> d;
      for (std::size_t q = 0; q < f; ++q) d.push_back(point[q] - runs[q * n + i]);
      const long double here = exact(kernel, d);
      sum += weights[i] * static_cast<double>(here);
      // ∂k/∂ln θ by differences of the formula.
      for (std::size_t q = 0; q < f; ++q) {
        std::vector<long double> up = d, down = d;
        up[q] *= std::exp(-1e-6L);
        down[q] *= std::exp(1e-6L);
        const auto by = static_cast<double>((exact(kernel, up) - exact(kernel, down)) / 2e-6L);
        expected[q] += (alpha[i] * 0.3 - inverse[i]) * by;
      }
    }
    double sums;
    WeightedSums(kernel, runs.data(), f, n, weights.data())(point.data(), 1, &sums);
    CHECK(sums == doctest::Approx(sum).epsilon(1e-12));
    kernels::correlations_and_slopes(kernel, point.data(), runs.data(), n, f, n, k.data(), slope.data());
    kernels::accumulate_gradient(kernel, point.data(), runs.data(), n, f, n, alpha.data(), 0.3,
                                 inverse.data(), slope.data(), gradient.data());
    for (std::size_t q = 0; q < f; ++q) CHECK(gradient[q] == doctest::Approx(expected[q]).epsilon(1e-8));
  }
}

TEST_CASE(
    "weighted sums keep their digits near runs and far from them, and do not depend on what else is asked") {
  const std::size_t n = 300, m = 77;
  for (const Kernel kernel : all)
    for (const std::size_t f : {1U, 4U, 7U, 20U})
      for (const double offset : {0.0, 1e4}) {  // scaled features of short lengths begin far from 0
        CAPTURE(name(kernel));
        CAPTURE(f);
        CAPTURE(offset);
        Stream stream(3, "sums", f);
        std::vector<double> runs(n * f), weights(n), points(m * f), out(m), alone(1);
        for (double& x : runs) x = offset + 3 * stream.uniform();
        for (double& w : weights) w = stream.normal();
        // At runs, next to them, further and further away.
        for (std::size_t i = 0; i < m; ++i)
          for (std::size_t k = 0; k < f; ++k)
            points[i * f + k] =
                runs[k * n + 3 * i] + (i == 0 ? 0 : std::pow(10, 0.25 * double(i) - 12) * stream.normal());
        const WeightedSums sums(kernel, runs.data(), f, n, weights.data());
        sums(points.data(), m, out.data());
        for (std::size_t i = 0; i < m; ++i) {
          long double sum = 0, size = 0;
          for (std::size_t j = 0; j < n; ++j) {
            std::vector<long double> d;
            for (std::size_t k = 0; k < f; ++k)
              d.push_back(static_cast<long double>(points[i * f + k]) - runs[k * n + j]);
            const long double correlation = exact(kernel, d), part = weights[j] * correlation;
            sum += part;
            if (correlation > 0) size += std::abs(part) * (1 - std::log(correlation));
          }
          // What a rounding of the coordinates does to it, and no more: that of e^-s grows with s.
          const double tolerance = 2e-15 * (1 + offset) * double(size) + 1e-290;
          CHECK(std::abs(double(sum) - out[i]) < tolerance);
          sums(points.data() + i * f, 1, alone.data());
          CHECK(alone[0] == out[i]);
        }
        std::vector<double> away(f, 1e180), bad(f, std::nan(""));
        sums(away.data(), 1, out.data());
        CHECK(std::abs(out[0]) < 1e-200);
        sums(bad.data(), 1, out.data());
        CHECK(std::isnan(out[0]));
      }
}

TEST_CASE("kernels have names, and unknown ones are refused with those there are") {
  for (const Kernel kernel : all) CHECK(kernel_words.value(name(kernel), "test") == kernel);
  CHECK_THROWS_WITH_AS(kernel_words.value("cubic", "test"), doctest::Contains("matern52"), Error);
}

TEST_CASE(
    "distances of rows from a point, and how near the nearest of several is, are those of plain loops") {
  Stream stream(1, "distances");
  for (const std::size_t n : {1, 7, 8, 16, 33, 250})
    for (const std::size_t features : {1, 3, 6}) {
      const std::size_t stride = n + 5;
      std::vector<double> columns(stride * features), point(features), out(n), room(n, INFINITY),
          plain(n, INFINITY);
      for (double& v : columns) v = stream.uniform();
      double most = 0;
      for (int put = 0; put < 4; ++put) {
        for (double& v : point) v = stream.uniform();
        kernels::squared_distances(point.data(), columns.data(), stride, features, n, out.data());
        most = kernels::bring_nearer(point.data(), columns.data(), stride, features, n, room.data());
        for (std::size_t i = 0; i < n; ++i) {
          double sum = 0;
          for (std::size_t k = 0; k < features; ++k) sum += std::pow(columns[k * stride + i] - point[k], 2);
          CHECK(out[i] == doctest::Approx(sum).epsilon(1e-14));
          plain[i] = std::min(plain[i], out[i]);
        }
      }
      CHECK(room == plain);
      CHECK(most == *std::max_element(plain.begin(), plain.end()));
    }
}
