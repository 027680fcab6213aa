#include <cmath>
#include <limits>
#include <renth/fit/vecchia.hpp>
#include <renth/numeric/dense.hpp>
#include <renth/numeric/parallel.hpp>

namespace renth {

struct VecchiaLikelihood::Sum {
  double quadratic = 0, log_v = 0;               // Σ e²/v, Σ ln v
  Eigen::VectorXd quadratic_slope, log_v_slope;  // by feature, and by nugget
  bool singular = false;
};

VecchiaLikelihood::VecchiaLikelihood(Kernel kernel, Eigen::MatrixXd features, std::vector<int> owner,
                                     Eigen::VectorXd residual, std::vector<int> terms,
                                     std::vector<std::vector<int>> given)
    : kernel_(kernel),
      features_(std::move(features)),
      owner_(std::move(owner)),
      residual_(std::move(residual)),
      terms_(std::move(terms)),
      given_(std::move(given)) {}

void VecchiaLikelihood::add_term(std::size_t term, const Eigen::MatrixXd& x, double nugget, bool gradient,
                                 Sum& sum) const {
  const std::vector<int>& given = given_[term];
  const auto m = Eigen::Index(given.size()), f = x.rows();
  const int self = terms_[term];
  // The run itself last, so that one matrix holds K_N and k.
  Eigen::MatrixXd points(m + 1, f), k, slope(m + 1, m + 1);
  Eigen::VectorXd r(m);
  for (Eigen::Index i = 0; i < m; ++i) {
    points.row(i) = x.col(given[std::size_t(i)]).transpose();
    r[i] = residual_[given[std::size_t(i)]];
  }
  points.row(m) = x.col(self).transpose();
  k.resize(m + 1, m + 1);
  Eigen::VectorXd point(f);
  for (Eigen::Index j = 0; j < m; ++j) {
    k(j, j) = 1 + nugget;
    point = points.row(j);
    const Eigen::Index below = m - j;
    if (gradient)
      kernels::correlations_and_slopes(kernel_, point.data(), points.data() + j + 1, m + 1, f, below,
                                       &k(j + 1, j), &slope(j + 1, j));
    else
      kernels::correlations(kernel_, point.data(), points.data() + j + 1, m + 1, f, below, &k(j + 1, j));
  }
  const Eigen::VectorXd own = k.row(m).head(m).transpose();
  const PositiveFactor factor(k.topLeftCorner(m, m));
  if (!factor.is_definite()) {
    sum.singular = true;
    return;
  }
  const Eigen::VectorXd b = factor.solve(own);
  const double e = residual_[self] - b.dot(r), v = std::max(1e-12, 1 + nugget - b.dot(own));
  sum.quadratic += e * e / v;
  sum.log_v += std::log(v);
  if (!gradient) return;
  // ∂e = −cᵀ(∂k − ∂K b), ∂v = −2bᵀ∂k + bᵀ∂K b with c = K⁻¹r: sums over pairs of runs of pair weight · ∂K_ij.
  const Eigen::VectorXd c = factor.solve(r);
  Eigen::VectorXd de = Eigen::VectorXd::Zero(f), dv = de;
  for (Eigen::Index j = 0; j < m; ++j)
    for (Eigen::Index i = j + 1; i <= m; ++i) {
      const double s = slope(i, j);
      const double we = i == m ? -c[j] * s : (c[i] * b[j] + c[j] * b[i]) * s;
      const double wv = i == m ? -2 * b[j] * s : 2 * b[i] * b[j] * s;
      for (Eigen::Index q = 0; q < f; ++q) {
        const double d = points(i, q) - points(j, q);
        const double by = d * d * kernels::slope_factor(kernel_, d);
        de[q] += we * by;
        dv[q] += wv * by;
      }
    }
  const auto add = [&](Eigen::Index at, double of_e, double of_v) {
    sum.quadratic_slope[at] += (2 * e * of_e - e * e / v * of_v) / v;
    sum.log_v_slope[at] += of_v / v;
  };
  for (Eigen::Index q = 0; q < f; ++q) add(q, de[q], dv[q]);
  add(f, nugget * c.dot(b), nugget * (1 + b.squaredNorm()));
}

double VecchiaLikelihood::operator()(const Eigen::VectorXd& t, Eigen::VectorXd* gradient) {
  const int lengths = owner_.back() + 1;
  const bool estimated = t.size() > lengths;
  const double nugget = estimated ? std::exp(t[lengths]) : KrigingObjective::floor;
  Eigen::MatrixXd x = features_.transpose();
  for (Eigen::Index k = 0; k < x.rows(); ++k) x.row(k) *= std::exp(-t[owner_[std::size_t(k)]]);
  constexpr std::size_t block = 128;
  std::vector<Sum> sums((terms_.size() + block - 1) / block);
  parallel_for(std::int64_t(sums.size()), [&](std::int64_t s) {
    Sum& sum = sums[std::size_t(s)];
    sum.quadratic_slope.setZero(x.rows() + 1);
    sum.log_v_slope.setZero(x.rows() + 1);
    for (std::size_t i = std::size_t(s) * block; i < std::min(terms_.size(), (std::size_t(s) + 1) * block);
         ++i)
      add_term(i, x, nugget, gradient != nullptr, sum);
  });
  Sum all = sums.front();
  for (std::size_t s = 1; s < sums.size(); ++s) {
    all.quadratic += sums[s].quadratic;
    all.log_v += sums[s].log_v;
    all.quadratic_slope += sums[s].quadratic_slope;
    all.log_v_slope += sums[s].log_v_slope;
    all.singular = all.singular || sums[s].singular;
  }
  if (all.singular) return std::numeric_limits<double>::infinity();
  const auto n = double(terms_.size());
  sigma2_ = all.quadratic / n;
  if (gradient) {
    gradient->setZero(t.size());
    const Eigen::VectorXd slope = 0.5 * (all.quadratic_slope / sigma2_ + all.log_v_slope);
    for (Eigen::Index k = 0; k < x.rows(); ++k) (*gradient)[owner_[std::size_t(k)]] += slope[k];
    if (estimated) (*gradient)[lengths] = slope[x.rows()];
  }
  return 0.5 * (n * std::log(sigma2_) + all.log_v);
}

}  // namespace renth
