#include <fmt/format.h>

#include <Eigen/QR>
#include <cmath>
#include <limits>
#include <renth/error.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <renth/terms/confounding.hpp>

namespace renth {
namespace {

constexpr double undefined = std::numeric_limits<double>::quiet_NaN();

/// Contrasts of the blocks (n × (b − 1)); no columns for one block.
Eigen::MatrixXd block_columns(const Data& data) {
  const int blocks = data.blocks.size() > 0 ? data.blocks.maxCoeff() + 1 : 1;
  Eigen::MatrixXd out(data.size(), blocks - 1);
  if (blocks == 1) return out;
  const Eigen::MatrixXd table = contrasts(blocks);
  for (Eigen::Index i = 0; i < data.size(); ++i) out.row(i) = table.row(data.blocks[i]);
  return out;
}

/// y − X·β with every product and sum in extended precision.
Eigen::VectorXd exact_residual(const Eigen::MatrixXd& x, const Eigen::VectorXd& y,
                               const Eigen::VectorXd& beta) {
  Eigen::VectorXd out(y.size());
  for (Eigen::Index i = 0; i < y.size(); ++i) {
    long double sum = y[i];
    for (Eigen::Index j = 0; j < x.cols(); ++j) sum -= static_cast<long double>(x(i, j)) * beta[j];
    out[i] = static_cast<double>(sum);
  }
  return out;
}

[[noreturn]] void refuse(const Space& space, const Terms& terms, const Confounding& found) {
  throw Error("these runs cannot tell some terms apart: " + describe(space, terms, found),
              "terms " + describe(space, terms),
              "remove the terms named, or add runs that vary them separately");
}

}  // namespace

Fit polynomial_fit(PolynomialOptions options) {
  return [options](const Space& space, const Data& data, Seed) -> std::unique_ptr<const Surrogate> {
    Polynomial::State s;
    s.space = Space(space.parameters());
    s.terms = options.terms.empty() ? suggested_terms(space, data.inputs) : options.terms;
    const Eigen::VectorXd y = data.outputs.col(0);
    if (data.size() == 0) throw Error("there are no runs to fit", "fit polynomial", "run or import some");
    if (!y.allFinite())
      throw Error("an output is not a finite number", "fit polynomial", "set the run aside");

    const Eigen::MatrixXd term_columns = model_matrix(space, s.terms, data.inputs),
                          blocks = block_columns(data);
    Eigen::MatrixXd x(y.size(), term_columns.cols() + blocks.cols());
    x << term_columns, blocks;
    const bool refuse_confounded = options.confounded == PolynomialOptions::Confounded::refuse;
    if (x.cols() > x.rows() && refuse_confounded)
      throw Error(fmt::format("{} runs cannot carry {} terms", x.rows(), x.cols()),
                  "terms " + describe(space, s.terms),
                  fmt::format("add at least {} runs or use fewer terms", x.cols() - x.rows()));
    Eigen::ColPivHouseholderQR<Eigen::MatrixXd> qr;
    qr.setThreshold(1e-10);
    qr.compute(x);
    if (qr.rank() < x.cols()) {
      const Confounding found = find_confounding(x);
      if (refuse_confounded) refuse(space, s.terms, found);
      Terms kept;
      std::vector<Eigen::Index> columns;
      for (const Eigen::Index i : found.kept)
        if (i < term_columns.cols()) kept.push_back(s.terms[i]);
      s.terms = kept;
      x = Eigen::MatrixXd(x(Eigen::all, found.kept));
      qr.compute(x);
    }
    const Eigen::Index n = x.rows(), p = x.cols(), count = Eigen::Index(s.terms.size());

    Eigen::VectorXd beta = qr.solve(y);
    for (int step = 0; step < 2; ++step) beta += qr.solve(exact_residual(x, y, beta));
    s.beta = beta.head(count);
    const double sse = exact_residual(x, y, beta).squaredNorm();
    s.degrees_of_freedom = static_cast<double>(n - p);
    s.sigma2 = n > p ? sse / s.degrees_of_freedom : undefined;

    Eigen::MatrixXd inverse_r = Eigen::MatrixXd::Identity(p, p);
    qr.matrixQR().topLeftCorner(p, p).triangularView<Eigen::Upper>().solveInPlace(inverse_r);
    s.factor = (qr.colsPermutation() * inverse_r).topRows(count);

    const double sd_y = std::sqrt((y.array() - y.mean()).square().sum() / std::max<double>(1, double(n - 1)));
    s.vif.setConstant(count, undefined);
    s.standardised.setConstant(count, undefined);
    for (Eigen::Index j = 0; j < count; ++j) {
      if (s.terms[j].factors.empty()) continue;
      const double spread = (x.col(j).array() - x.col(j).mean()).square().sum();
      s.vif[j] = s.factor.row(j).squaredNorm() * spread;
      s.standardised[j] = s.beta[j] * std::sqrt(spread / std::max<double>(1, double(n - 1))) / sd_y;
    }
    return std::make_unique<Polynomial>(std::move(s));
  };
}

}  // namespace renth
