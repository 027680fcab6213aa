#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <renth/numeric/distributions.hpp>

using namespace renth;

namespace {
const double levels[] = {0.001, 0.01, 0.05, 0.25, 0.5, 0.75, 0.95, 0.99, 0.999};
}

TEST_CASE("quantiles are those of printed tables") {
  CHECK(student_t_width(0.95, 10) == doctest::Approx(2.228138852).epsilon(1e-9));
  CHECK(chi_squared_quantile(0.95, 10) == doctest::Approx(18.30703805).epsilon(1e-9));
  CHECK(fisher_f_quantile(0.95, 5, 10) == doctest::Approx(3.325834530).epsilon(1e-9));
  CHECK(normal_quantile(0.975) == doctest::Approx(1.959963985).epsilon(1e-9));
}

TEST_CASE("the median of F with equal degrees of freedom is 1, and of a symmetric beta a half") {
  for (int k = 1; k <= 400; ++k) {
    CHECK(fisher_f_quantile(0.5, k, k) == doctest::Approx(1).epsilon(1e-12));
    CHECK(beta_quantile(0.5, k / 2.0, k / 2.0) == doctest::Approx(0.5).epsilon(1e-12));
  }
}

TEST_CASE("quantiles at any degrees of freedom give their level back") {
  for (const double level : levels) {
    double worst = 0;
    for (int a = 1; a <= 120; ++a) {
      for (int b = 1; b <= 120; ++b)
        worst = std::max(worst,
                         std::abs(1 - fisher_f_upper(fisher_f_quantile(level, a, b), a, b) - level) / level);
      worst = std::max(worst, std::abs(1 - chi_squared_upper(chi_squared_quantile(level, a), a) - level));
      worst = std::max(worst, std::abs(1 - student_t_two_sided(student_t_width(level, a), a) - level));
    }
    CHECK(worst < 1e-9);
  }
}
