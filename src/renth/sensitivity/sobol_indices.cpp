#include <limits>
#include <renth/plan/sobol.hpp>
#include <renth/sensitivity/variance_shares.hpp>

namespace renth {
namespace {

/// Natural points from half of the columns of the unit points.
Eigen::MatrixXd to_natural(const Space& space, const Eigen::MatrixXd& unit, Eigen::Index from) {
  Eigen::MatrixXd out(unit.rows(), space.size());
  for (Eigen::Index j = 0; j < space.size(); ++j)
    for (Eigen::Index i = 0; i < unit.rows(); ++i) out(i, j) = space.from_unit(j, unit(i, from + j), false);
  return out;
}

double mean_product(const Eigen::MatrixXd& a, const Eigen::MatrixXd& b) {
  return a.cwiseProduct(b).sum() / static_cast<double>(a.rows());
}

}  // namespace

VarianceShares sobol_indices(const Space& space, const Evaluate& response, int samples, Seed seed, int replicate) {
  const Eigen::Index d = space.size();
  const Eigen::MatrixXd unit = scrambled_sobol_points(samples, 2 * d, hash64("sobol indices", seed) + static_cast<std::uint64_t>(replicate), "scramble");
  const Eigen::MatrixXd a = to_natural(space, unit, 0), b = to_natural(space, unit, d);
  Eigen::MatrixXd ya = response(a), yb = response(b);
  const Eigen::RowVectorXd centre = 0.5 * (ya.colwise().mean() + yb.colwise().mean());
  ya.rowwise() -= centre;
  yb.rowwise() -= centre;

  VarianceShares out;
  out.parameters.resize(static_cast<std::size_t>(d));
  out.pairs = Eigen::MatrixXd::Zero(d, d);
  out.variance = 0.5 * (mean_product(ya, ya) + mean_product(yb, yb));
  if (!(out.variance > 0)) return out;

  // a with column i from b, and b with column i from a.
  std::vector<Eigen::MatrixXd> yab, yba;
  for (Eigen::Index i = 0; i < d; ++i) {
    Eigen::MatrixXd x = a;
    x.col(i) = b.col(i);
    yab.push_back(response(x).rowwise() - centre);
    x = b;
    x.col(i) = a.col(i);
    yba.push_back(response(x).rowwise() - centre);
  }
  for (Eigen::Index i = 0; i < d; ++i) {
    Share& s = out.parameters[i];
    // Both halves of the sample give an estimate; differences cancel what they share.
    s.first = 0.5 * (mean_product(yb, yab[i] - ya) + mean_product(ya, yba[i] - yb)) / out.variance;
    s.total = 0.25 * ((ya - yab[i]).squaredNorm() + (yb - yba[i]).squaredNorm()) /
              (static_cast<double>(samples) * out.variance);
    s.share = s.first;
  }
  for (Eigen::Index i = 0; i < d; ++i)
    for (Eigen::Index j = i + 1; j < d; ++j) {
      const double closed = 0.5 * (mean_product(yba[i], yab[j]) + mean_product(yba[j], yab[i])) - mean_product(ya, yb);
      out.pairs(i, j) = closed / out.variance - out.parameters[i].first - out.parameters[j].first;
    }
  return out;
}

}  // namespace renth
