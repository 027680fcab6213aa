#include <boost/math/distributions/beta.hpp>
#include <boost/math/distributions/chi_squared.hpp>
#include <boost/math/distributions/fisher_f.hpp>
#include <boost/math/distributions/non_central_f.hpp>
#include <boost/math/distributions/normal.hpp>
#include <boost/math/distributions/students_t.hpp>
#include <boost/math/tools/toms748_solve.hpp>
#include <cmath>
#include <cstdint>
#include <exception>
#include <renth/base/undefined.hpp>
#include <renth/numeric/distributions.hpp>

namespace renth {
namespace {

/// In double alone: by default Boost works in long double, several times as slow, for digits nobody sees.
using InDouble = boost::math::policies::policy<boost::math::policies::promote_double<false>>;

/// The quantile where the library's Newton steps give up, such as Beta(5, 5) at a half: bracketed from 0
/// to 1.
double bracketed_beta_quantile(double p, double a, double b) {
  std::uintmax_t steps = 500;
  const auto root =
      boost::math::tools::toms748_solve([&](double x) { return beta_cdf(x, a, b) - p; }, 0.0, 1.0, -p, 1 - p,
                                        boost::math::tools::eps_tolerance<double>(52), steps);
  return (root.first + root.second) / 2;
}

}  // namespace

double student_t_width(double level, double df) {
  if (!(df > 0) || !(level > 0 && level < 1)) return undefined;
  const double tail = (1 - level) / 2;
  if (std::isinf(df)) return boost::math::quantile(complement(boost::math::normal(), tail));
  return boost::math::quantile(complement(boost::math::students_t(df), tail));
}

double student_t_two_sided(double t, double df) {
  if (!(df > 0) || std::isnan(t)) return undefined;
  if (std::isinf(t)) return 0;
  return 2 * boost::math::cdf(complement(boost::math::students_t(df), std::abs(t)));
}

double fisher_f_upper(double f, double df1, double df2) {
  if (!(df1 > 0) || !(df2 > 0) || std::isnan(f)) return undefined;
  if (std::isinf(f)) return 0;
  return boost::math::cdf(complement(boost::math::fisher_f(df1, df2), f));
}

double fisher_f_quantile(double level, double df1, double df2) {
  if (!(df1 > 0) || !(df2 > 0) || !(level > 0 && level < 1)) return undefined;
  try {
    return boost::math::quantile(boost::math::fisher_f(df1, df2), level);
  } catch (const std::exception&) {
    const double x = bracketed_beta_quantile(level, df1 / 2, df2 / 2);
    return df2 * x / (df1 * (1 - x));
  }
}

double noncentral_f_upper(double f, double df1, double df2, double noncentrality) {
  if (!(df1 > 0) || !(df2 > 0) || !(noncentrality >= 0) || std::isnan(f)) return undefined;
  if (noncentrality > 1e4) return 1;  // the series takes for ever to say so
  return boost::math::cdf(complement(boost::math::non_central_f(df1, df2, noncentrality), f));
}

double normal_cdf(double z) {
  return 0.5 * std::erfc(-z / std::sqrt(2.0));
}

double normal_quantile(double p) {
  return p > 0 && p < 1 ? boost::math::quantile(boost::math::normal_distribution<double, InDouble>(), p)
                        : undefined;
}

double chi_squared_upper(double x, double df) {
  if (!(df > 0) || !(x >= 0)) return undefined;
  if (std::isinf(x)) return 0;
  return boost::math::cdf(complement(boost::math::chi_squared(df), x));
}

double chi_squared_quantile(double level, double df) {
  if (!(df > 0) || !(level > 0 && level < 1)) return undefined;
  return boost::math::quantile(boost::math::chi_squared(df), level);
}

double beta_cdf(double x, double a, double b) {
  if (!(a > 0) || !(b > 0) || !(x >= 0 && x <= 1)) return undefined;
  return boost::math::cdf(boost::math::beta_distribution<>(a, b), x);
}

double beta_quantile(double p, double a, double b) {
  if (!(a > 0) || !(b > 0) || !(p > 0 && p < 1)) return undefined;
  try {
    return boost::math::quantile(boost::math::beta_distribution<>(a, b), p);
  } catch (const std::exception&) {
    return bracketed_beta_quantile(p, a, b);
  }
}

}  // namespace renth
