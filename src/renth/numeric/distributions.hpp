// Quantiles and tail probabilities, by Boost.Math, with the limits that statistics needs.
#pragma once

namespace renth {

/// Two-sided Student t quantile: t with P(|T| ≤ t) = level. `df` may be infinite (normal) and NaN
/// or ≤ 0 gives NaN, so that an interval without an error estimate is undefined, not wrong.
double student_t_width(double level, double df);

/// P(|T| > |t|) for Student's t with `df` degrees of freedom; NaN where undefined.
double student_t_two_sided(double t, double df);

/// P(F > f) for Fisher's F; NaN where undefined.
double fisher_f_upper(double f, double df1, double df2);

/// The value that Fisher's F exceeds with probability 1 − level; NaN where undefined.
double fisher_f_quantile(double level, double df1, double df2);

/// P(F > f) for the noncentral F with noncentrality λ ≥ 0; NaN where undefined.
double noncentral_f_upper(double f, double df1, double df2, double noncentrality);

/// Standard normal distribution function, and its inverse for p in (0, 1); NaN elsewhere.
double normal_cdf(double z);
double normal_quantile(double p);

/// P(X > x) for χ²; NaN where undefined.
double chi_squared_upper(double x, double df);
/// The value that χ² exceeds with probability 1 − level.
double chi_squared_quantile(double level, double df);

/// P(X ≤ x) for the beta distribution on (0, 1); NaN where undefined.
double beta_cdf(double x, double a, double b);
/// The x below which it lies with probability p.
double beta_quantile(double p, double a, double b);

}  // namespace renth
