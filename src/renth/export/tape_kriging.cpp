#include <cmath>
#include <renth/export/tape_space.hpp>
#include <renth/export/tape_surrogate.hpp>
#include <renth/numeric/cholesky.hpp>
#include <renth/numeric/dense.hpp>
#include <renth/space/features.hpp>
#include <renth/surrogate/kriging_ensemble.hpp>
#include <renth/surrogate/nearest_kriging.hpp>

namespace renth {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {

TapeVector scaled_on_tape(const Process& s, TapeVector x) {
  const std::vector<int> owner = feature_lengths(s.space);
  VectorXd theta(Index(owner.size()));
  for (std::size_t k = 0; k < owner.size(); ++k) theta[Index(k)] = s.theta[owner[k]];
  return features_on_tape(s.space, x) / x.tape().constant(theta);
}

/// Correlations with all runs (n). \param u  f scaled features.
TapeVector correlations_on_tape(Kernel kernel, TapeVector u, const MatrixXd& runs) {
  Tape& tape = u.tape();
  const double sqrt5 = std::sqrt(5.0), sqrt3 = std::sqrt(3.0);
  TapeVector squared, distance, product;
  for (Index k = 0; k < runs.cols(); ++k) {
    const TapeVector d = tape.gather(u, {int(k)}) - tape.constant(VectorXd(runs.col(k)));
    if (kernel != Kernel::product52) {
      squared = squared ? squared + square(d) : square(d);
      continue;
    }
    const TapeVector s = sqrt5 * absolute(d), p = (1.0 / 3.0 * square(s) + s) + 1;
    distance = distance ? distance + s : s;
    product = product ? product * p : p;
  }
  switch (kernel) {
    case Kernel::gaussian:
      return exp(-0.5 * squared);
    case Kernel::matern52: {
      const TapeVector s = sqrt5 * sqrt(squared);
      return ((1.0 / 3.0 * square(s) + s) + 1) * exp(-1.0 * s);
    }
    case Kernel::matern32: {
      const TapeVector s = sqrt3 * sqrt(squared);
      return (s + 1) * exp(-1.0 * s);
    }
    case Kernel::exponential:
      return exp(-1.0 * sqrt(squared));
    case Kernel::product52: {
      const TapeVector most = tape.constant(1e290);  // far away the other factor is nought
      return tape.choose(less(product, most), product, most) * exp(-1.0 * distance);
    }
  }
  return {};
}

TapeVector process_trend(const Process& s, TapeVector terms) {
  return terms.tape().affine(s.beta.transpose(), terms, VectorXd::Constant(1, s.centre));
}

}  // namespace

SurrogateOnTape kriging_on_tape(const Kriging& kriging, TapeVector x, Want want) {
  Tape& tape = x.tape();
  const Kriging::State& s = kriging.state();
  const TapeVector k = correlations_on_tape(s.kernel, scaled_on_tape(s, x), s.runs);
  const TapeVector f = terms_on_tape(s.space, s.trend, x);
  SurrogateOnTape out;
  out.mean = process_trend(s, f) + tape.affine(s.weights.transpose(), k);
  if (!want.variance) return out;
  const Kriging::Factors& factors = kriging.factors();
  MatrixXd inverse = MatrixXd::Identity(s.runs.rows(), s.runs.rows());
  solve_lower(factors.factor, inverse);
  const MatrixXd of_terms =
      solve_upper_transposed(factors.trend_factor, MatrixXd(MatrixXd::Identity(f.width(), f.width())));
  const TapeVector v = tape.lower(inverse, k);
  const TapeVector t = tape.affine(of_terms, f - tape.affine(factors.whitened_trend.transpose(), v));
  out.variance = s.sigma2 * at_least_zero((tape.constant(1) - sum(square(v))) + sum(square(t)));
  return out;
}

SurrogateOnTape ensemble_on_tape(const KrigingEnsemble& ensemble, TapeVector x, Want want) {
  SurrogateOnTape out = kriging_on_tape(ensemble.likeliest(), x, {});
  if (!want.variance) return out;
  const KrigingEnsemble::Members& members = ensemble.members();
  for (std::size_t m = 0; m < members.size(); ++m) {
    const SurrogateOnTape p = kriging_on_tape(*members[m], x, {.variance = true});
    const TapeVector part = ensemble.state().shares[Index(m)] * (p.variance + square(p.mean - out.mean));
    out.variance = out.variance ? out.variance + part : part;
  }
  return out;
}

SurrogateOnTape nearest_on_tape(const NearestKriging& kriging, TapeVector x, Want want) {
  static_assert(NearestKriging::neighbours <= 40, "evaluate.c holds no more");
  Tape& tape = x.tape();
  const NearestKriging::State& s = kriging.state();
  const int n = int(s.runs.rows()), f = int(s.runs.cols());
  const TapeVector local =
      tape.method(Tape::Op::nearest, 2, {scaled_on_tape(s, x)},
                  {int(s.kernel), n, f, std::min(n, int(NearestKriging::neighbours)), tape.keep(s.runs),
                   tape.keep(s.residual), tape.keep(MatrixXd::Constant(1, 1, s.nugget))},
                  0);
  SurrogateOnTape out;
  out.mean = process_trend(s, terms_on_tape(s.space, s.trend, x)) + tape.gather(local, {0});
  if (want.variance) out.variance = s.sigma2 * tape.gather(local, {1});
  return out;
}

}  // namespace renth
