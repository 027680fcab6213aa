#include <fmt/format.h>

#include <cmath>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/fit/curve_shapes.hpp>
#include <renth/numeric/singular_values.hpp>
#include <utility>
#include <vector>

namespace renth {

using Index = Eigen::Index;

namespace {

using Missing = std::vector<std::pair<Index, Index>>;

/// Every axis point about its mean and in its deviations; 0 where missing.
Eigen::MatrixXd scaled(const Eigen::MatrixXd& curves, CurveShapes& out, Missing& missing) {
  const Index n = curves.rows(), q = curves.cols();
  out.mean.resize(q);
  out.scale.resize(q);
  Eigen::MatrixXd z(n, q);
  for (Index j = 0; j < q; ++j) {
    double sum = 0, square = 0;
    Index count = 0;
    for (Index i = 0; i < n; ++i)
      if (std::isfinite(curves(i, j))) sum += curves(i, j), ++count;
    if (count < 2)
      throw Error(fmt::format("axis point {} is in {} of the runs", j + 1, count), "fit",
                  "run it in more runs, or take it off the axis");
    out.mean[j] = sum / double(count);
    for (Index i = 0; i < n; ++i)
      if (std::isfinite(curves(i, j))) square += std::pow(curves(i, j) - out.mean[j], 2);
    out.scale[j] = std::sqrt(square / double(count));
    if (!(out.scale[j] > 1e-14 * std::abs(out.mean[j]))) out.scale[j] = 0;  // the same in every run
    for (Index i = 0; i < n; ++i) {
      z(i, j) = out.scale[j] > 0 ? (curves(i, j) - out.mean[j]) / out.scale[j] : 0;
      if (!std::isfinite(curves(i, j))) {
        z(i, j) = 0;
        missing.emplace_back(i, j);
      }
    }
  }
  return z;
}

/// Signs so that a shape's largest entry is positive: the same on every machine.
void settle_signs(CurveShapes& out) {
  for (Index k = 0; k < out.shapes.cols(); ++k) {
    Index at = 0;
    out.shapes.col(k).cwiseAbs().maxCoeff(&at);
    if (out.shapes(at, k) < 0) {
      out.shapes.col(k) *= -1;
      out.scores.col(k) *= -1;
    }
  }
}

}  // namespace

CurveShapes curve_shapes(const Eigen::MatrixXd& curves, double share, int most) {
  const Index n = curves.rows(), q = curves.cols();
  CurveShapes out;
  Missing missing;
  Eigen::MatrixXd z = scaled(curves, out, missing);
  if (!(out.scale.maxCoeff() > 0))
    throw Error("the response is the same in every run", "fit",
                "there is nothing to fit: vary more, or look at the solver's output");
  Eigen::MatrixXd centred;
  Eigen::RowVectorXd shift;
  // From one shape up, so that what is missing is filled by few before more are asked for.
  const Index limit = std::min<Index>({q, n - 1, most});
  for (Index r = missing.empty() ? limit : 1; r <= limit; ++r) {
    Eigen::VectorXd power;
    for (int round = 0; round < (missing.empty() ? 1 : 300); ++round) {
      shift = z.colwise().mean();
      centred = z.rowwise() - shift;
      const SingularValues svd = singular_values(centred);
      power = svd.values.cwiseAbs2();
      if (missing.empty())
        for (r = 1; r < limit && power.head(r).sum() < share * power.sum();) ++r;
      out.shapes = svd.right.leftCols(r);
      out.scores = centred * out.shapes;
      const Eigen::MatrixXd made = (out.scores * out.shapes.transpose()).rowwise() + shift;
      double change = 0;
      for (const auto& [i, j] : missing) {
        change = std::max(change, std::abs(z(i, j) - made(i, j)));
        z(i, j) = made(i, j);
      }
      if (change < 1e-9) break;
    }
    out.share = power.head(r).sum() / power.sum();
    if (out.share >= share || r >= limit) break;
  }
  settle_signs(out);
  const Eigen::MatrixXd rest = centred - out.scores * out.shapes.transpose();
  out.left_over = rest.colwise().squaredNorm().transpose().cwiseProduct(out.scale.cwiseAbs2()) /
                  double(std::max<Index>(1, n - 1 - out.shapes.cols()));
  out.mean += shift.transpose().cwiseProduct(out.scale);
  return out;
}

}  // namespace renth
