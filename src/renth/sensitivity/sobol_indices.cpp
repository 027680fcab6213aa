#include <limits>
#include <renth/numeric/random.hpp>
#include <renth/numeric/sobol_sequence.hpp>
#include <renth/sensitivity/variance_shares.hpp>

namespace renth {
namespace {

/// Natural points from half of the columns of the unit points.
Eigen::MatrixXd to_natural(const FromUnit& inputs, const Eigen::MatrixXd& unit, Eigen::Index from) {
  Eigen::MatrixXd out(unit.rows(), unit.cols() / 2);
  for (Eigen::Index j = 0; j < out.cols(); ++j)
    for (Eigen::Index i = 0; i < unit.rows(); ++i) out(i, j) = inputs(j, unit(i, from + j));
  return out;
}

double mean_product(const Eigen::MatrixXd& a, const Eigen::MatrixXd& b) {
  return a.cwiseProduct(b).sum() / static_cast<double>(a.rows());
}

/// Outputs of one model at all the points that the estimators need, less their common mean.
struct Outputs {
  Eigen::MatrixXd a, b;
  std::vector<Eigen::MatrixXd> ab, ba;  // a with column i from b, and the other way round
};

/// First-order shares of each of several outputs (d × q), by the same estimator.
Eigen::MatrixXd along(const Outputs& y) {
  const auto d = static_cast<Eigen::Index>(y.ab.size());
  const Eigen::Index q = y.a.cols();
  if (q < 2) return Eigen::MatrixXd(d, 0);
  const Eigen::RowVectorXd variance = 0.5 * (y.a.colwise().squaredNorm() + y.b.colwise().squaredNorm());
  Eigen::MatrixXd out(d, q);
  for (Eigen::Index i = 0; i < d; ++i)
    out.row(i) = 0.5 * (y.b.cwiseProduct(y.ab[i] - y.a).colwise().sum() +
                        y.a.cwiseProduct(y.ba[i] - y.b).colwise().sum())
                           .cwiseQuotient(variance);
  return out.array().isFinite().select(out, 0);
}

VarianceShares estimate(const Outputs& y) {
  const auto d = static_cast<Eigen::Index>(y.ab.size());
  VarianceShares out;
  out.parameters.resize(y.ab.size());
  out.pairs = Eigen::MatrixXd::Zero(d, d);
  out.along = Eigen::MatrixXd::Zero(d, y.a.cols() > 1 ? y.a.cols() : 0);
  out.variance = 0.5 * (mean_product(y.a, y.a) + mean_product(y.b, y.b));
  if (!(out.variance > 0)) return out;
  for (Eigen::Index i = 0; i < d; ++i) {
    Share& s = out.parameters[i];
    // Both halves of the sample give an estimate; differences cancel what they share.
    s.first = 0.5 * (mean_product(y.b, y.ab[i] - y.a) + mean_product(y.a, y.ba[i] - y.b)) / out.variance;
    s.total = 0.25 * ((y.a - y.ab[i]).squaredNorm() + (y.b - y.ba[i]).squaredNorm()) /
              (static_cast<double>(y.a.rows()) * out.variance);
    s.share = s.first;
  }
  out.along = along(y);
  for (Eigen::Index i = 0; i < d; ++i)
    for (Eigen::Index j = i + 1; j < d; ++j) {
      const double closed =
          0.5 * (mean_product(y.ba[i], y.ab[j]) + mean_product(y.ba[j], y.ab[i])) - mean_product(y.a, y.b);
      out.pairs(i, j) = closed / out.variance - out.parameters[i].first - out.parameters[j].first;
    }
  return out;
}

}  // namespace

std::vector<VarianceShares> sobol_indices(const Space& space, const std::vector<Evaluate>& models,
                                          int samples, Seed seed, int replicate, const FromUnit& inputs) {
  const Eigen::Index d = space.size();
  const Eigen::MatrixXd unit = scrambled_sobol_points(
      samples, 2 * d, hash64("sobol indices", seed) + static_cast<std::uint64_t>(replicate), "scramble");
  const Eigen::MatrixXd a = to_natural(inputs, unit, 0), b = to_natural(inputs, unit, d);
  std::vector<VarianceShares> out;
  for (const Evaluate& model : models) {
    Outputs y{model(a), model(b), {}, {}};
    const Eigen::RowVectorXd centre = 0.5 * (y.a.colwise().mean() + y.b.colwise().mean());
    y.a.rowwise() -= centre;
    y.b.rowwise() -= centre;
    for (Eigen::Index i = 0; i < d; ++i) {
      Eigen::MatrixXd x = a;
      x.col(i) = b.col(i);
      y.ab.emplace_back(model(x).rowwise() - centre);
      x = b;
      x.col(i) = a.col(i);
      y.ba.emplace_back(model(x).rowwise() - centre);
    }
    out.push_back(estimate(y));
  }
  return out;
}

}  // namespace renth
