#include <cmath>
#include <renth/numeric/random.hpp>
#include <renth/numeric/sobol_sequence.hpp>
#include <renth/sensitivity/variance_shares.hpp>

namespace renth {
namespace {

/// Natural points from d columns of the unit points.
Eigen::MatrixXd to_natural(const FromUnit& inputs, const Eigen::MatrixXd& unit, Eigen::Index from,
                           Eigen::Index d) {
  Eigen::MatrixXd out(unit.rows(), d);
  for (Eigen::Index j = 0; j < out.cols(); ++j)
    for (Eigen::Index i = 0; i < unit.rows(); ++i) out(i, j) = inputs(j, unit(i, from + j));
  return out;
}

double mean_product(const Eigen::MatrixXd& a, const Eigen::MatrixXd& b) {
  return a.cwiseProduct(b).sum() / static_cast<double>(a.rows());
}

/// Outputs of one model at all the points that the estimators need.
struct Outputs {
  Eigen::MatrixXd a, b;
  std::vector<Eigen::MatrixXd> ab, ba;  // a with column i from b, and the other way round

  template <class F>
  void for_each(const F& f) {
    f(a);
    f(b);
    for (Eigen::MatrixXd& m : ab) f(m);
    for (Eigen::MatrixXd& m : ba) f(m);
  }
};

/// Polynomials of each column, 0 … 1, orthonormal over it: n × `degree` each.
constexpr int degree = 8;
std::vector<Eigen::MatrixXd> polynomials(const Eigen::MatrixXd& unit) {
  std::vector<Eigen::MatrixXd> out;
  for (Eigen::Index j = 0; j < unit.cols(); ++j) {
    Eigen::MatrixXd basis(unit.rows(), degree);
    for (Eigen::Index i = 0; i < unit.rows(); ++i) {
      const double x = 2 * unit(i, j) - 1;
      double before = 1, now = x;
      for (int k = 1; k <= degree; ++k) {
        basis(i, k - 1) = std::sqrt(2.0 * k + 1) * now;
        const double next = ((2 * k + 1) * x * now - k * before) / (k + 1);
        before = now;
        now = next;
      }
    }
    out.push_back(std::move(basis));
  }
  return out;
}

/// What each parameter does alone, by a sample of its own: degree × q coefficients each, nought where they
/// are no more than its error.
std::vector<Eigen::MatrixXd> alone_of(const std::vector<Eigen::MatrixXd>& basis, const Eigen::MatrixXd& y) {
  const double n = static_cast<double>(y.rows());
  const Eigen::MatrixXd centred = y.rowwise() - y.colwise().mean();
  const Eigen::RowVectorXd error = 2 * centred.colwise().norm() / n;
  std::vector<Eigen::MatrixXd> out;
  for (const Eigen::MatrixXd& of : basis) {
    const Eigen::MatrixXd c = of.transpose() * centred / n;
    out.push_back((c.array().abs() > error.replicate(degree, 1).array()).select(c, 0));
  }
  return out;
}

/// Takes the mean and what parameters do alone out of outputs: what is left is small where a response is
/// nearly a sum of functions, and so are the errors of estimates from it. \returns  d × q, what of the
/// variance each has made by what was taken: E g² + 2 E r g, r what is left.
Eigen::MatrixXd take_out(const std::vector<Eigen::MatrixXd>& basis, std::vector<Eigen::MatrixXd> alone,
                         Outputs& y) {
  const Eigen::Index d = static_cast<Eigen::Index>(alone.size()), q = y.a.cols();
  const double sets = static_cast<double>(2 * d + 2);
  Eigen::RowVectorXd mean = Eigen::RowVectorXd::Zero(q);
  y.for_each([&](const Eigen::MatrixXd& m) { mean += m.colwise().mean(); });
  mean /= sets;
  y.for_each([&](Eigen::MatrixXd& m) { m.rowwise() -= mean; });
  std::vector<Eigen::MatrixXd> at_a, at_b;
  Eigen::MatrixXd all_a = Eigen::MatrixXd::Zero(y.a.rows(), q), all_b = all_a;
  for (Eigen::Index i = 0; i < d; ++i) {
    // Nothing changes with it: that stays exact.
    if (y.ab[i] == y.a && y.ba[i] == y.b) alone[i].setZero();
    at_a.push_back(basis[i] * alone[i]);
    at_b.push_back(basis[d + i] * alone[i]);
    all_a += at_a.back();
    all_b += at_b.back();
  }
  y.a -= all_a;
  y.b -= all_b;
  Eigen::MatrixXd sum_a = y.a, sum_b = y.b;
  for (Eigen::Index i = 0; i < d; ++i) {
    y.ab[i] -= all_a - at_a[i] + at_b[i];
    y.ba[i] -= all_b - at_b[i] + at_a[i];
    sum_a += y.ab[i];
    sum_b += y.ba[i];
  }
  Eigen::MatrixXd out(d, q);
  for (Eigen::Index i = 0; i < d; ++i) {
    const Eigen::RowVectorXd rest =
        (at_a[i].cwiseProduct(sum_a - y.ab[i] + y.ba[i]) + at_b[i].cwiseProduct(sum_b - y.ba[i] + y.ab[i]))
            .colwise()
            .mean();
    out.row(i) = alone[i].colwise().squaredNorm() + 2 / sets * rest;
  }
  return out;
}

/// \param alone  by take_out() (d × q).
VarianceShares estimate(Outputs& y, const Eigen::MatrixXd& alone) {
  const Eigen::Index d = alone.rows(), q = alone.cols();
  const double n = static_cast<double>(y.a.rows());
  Eigen::RowVectorXd variance = Eigen::RowVectorXd::Zero(q);
  y.for_each([&](const Eigen::MatrixXd& m) { variance += m.colwise().squaredNorm(); });
  variance = variance / (n * static_cast<double>(2 * d + 2)) + alone.colwise().sum();
  VarianceShares out;
  out.parameters.resize(y.ab.size());
  out.pairs = Eigen::MatrixXd::Zero(d, d);
  out.along = Eigen::MatrixXd::Zero(d, q > 1 ? q : 0);
  out.variance = variance.sum();
  if (!(out.variance > 0)) return out;
  Eigen::VectorXd left(d);  // first-order, of what was left
  for (Eigen::Index i = 0; i < d; ++i) {
    // Both halves of the sample give an estimate; differences cancel what they share.
    const Eigen::RowVectorXd each =
        0.5 * (y.b.cwiseProduct(y.ab[i] - y.a) + y.a.cwiseProduct(y.ba[i] - y.b)).colwise().mean();
    left[i] = each.sum();
    Share& s = out.parameters[i];
    s.share = s.first = (left[i] + alone.row(i).sum()) / out.variance;
    s.total =
        (0.25 * ((y.a - y.ab[i]).squaredNorm() + (y.b - y.ba[i]).squaredNorm()) / n + alone.row(i).sum()) /
        out.variance;
    for (Eigen::Index k = 0; k < out.along.cols(); ++k)
      if (variance[k] > 0) out.along(i, k) = (each[k] + alone(i, k)) / variance[k];
  }
  for (Eigen::Index i = 0; i < d; ++i)
    for (Eigen::Index j = i + 1; j < d; ++j) {
      const double closed =
          0.5 * (mean_product(y.ba[i], y.ab[j]) + mean_product(y.ba[j], y.ab[i])) - mean_product(y.a, y.b);
      out.pairs(i, j) = (closed - left[i] - left[j]) / out.variance;
    }
  return out;
}

}  // namespace

std::vector<VarianceShares> sobol_indices(const Space& space, const std::vector<Evaluate>& models,
                                          int samples, Seed seed, int replicate, const FromUnit& inputs) {
  const Eigen::Index d = space.size();
  const Eigen::MatrixXd unit = scrambled_sobol_points(
      samples, 2 * d, hash64("sobol indices", seed) + static_cast<std::uint64_t>(replicate), "scramble");
  const Eigen::MatrixXd a = to_natural(inputs, unit, 0, d), b = to_natural(inputs, unit, d, d);
  const Eigen::MatrixXd own = scrambled_sobol_points(
      samples, d, hash64("alone", seed) + static_cast<std::uint64_t>(replicate), "scramble");
  const Eigen::MatrixXd own_points = to_natural(inputs, own, 0, d);
  const std::vector<Eigen::MatrixXd> basis = polynomials(unit), own_basis = polynomials(own);
  std::vector<VarianceShares> out;
  for (const Evaluate& model : models) {
    Outputs y{model(a), model(b), {}, {}};
    for (Eigen::Index i = 0; i < d; ++i) {
      Eigen::MatrixXd x = a;
      x.col(i) = b.col(i);
      y.ab.emplace_back(model(x));
      x = b;
      x.col(i) = a.col(i);
      y.ba.emplace_back(model(x));
    }
    const Eigen::MatrixXd taken = take_out(basis, alone_of(own_basis, model(own_points)), y);
    out.push_back(estimate(y, taken));
  }
  return out;
}

}  // namespace renth
