#include <fmt/format.h>

#include <Eigen/SVD>
#include <cmath>
#include <limits>
#include <renth/error.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/surrogate/components.hpp>
#include <renth/surrogate/kinds.hpp>

namespace renth {

using Index = Eigen::Index;

CurveShapes curve_shapes(const Eigen::MatrixXd& curves, double share, int most) {
  const Index n = curves.rows(), q = curves.cols();
  CurveShapes out;
  out.mean.resize(q);
  out.scale.resize(q);
  Eigen::MatrixXd z(n, q);
  std::vector<std::pair<Index, Index>> missing;
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
      const Eigen::BDCSVD<Eigen::MatrixXd> svd(centred, Eigen::ComputeThinU | Eigen::ComputeThinV);
      power = svd.singularValues().cwiseAbs2();
      if (missing.empty())
        for (r = 1; r < limit && power.head(r).sum() < share * power.sum();) ++r;
      out.shapes = svd.matrixV().leftCols(r);
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
  // Signs so that a shape's largest entry is positive: the same on every machine.
  for (Index k = 0; k < out.shapes.cols(); ++k) {
    Index at = 0;
    out.shapes.col(k).cwiseAbs().maxCoeff(&at);
    if (out.shapes(at, k) < 0) {
      out.shapes.col(k) *= -1;
      out.scores.col(k) *= -1;
    }
  }
  const Eigen::MatrixXd rest = centred - out.scores * out.shapes.transpose();
  out.left_over = rest.colwise().squaredNorm().transpose().cwiseProduct(out.scale.cwiseAbs2()) /
                  double(std::max<Index>(1, n - 1 - out.shapes.cols()));
  out.mean += shift.transpose().cwiseProduct(out.scale);
  return out;
}

Fit along_components(std::vector<Fit> fits, double share) {
  return [fits, share](const Space& space, const Data& data, Seed seed) -> std::unique_ptr<const Surrogate> {
    if (data.outputs.cols() == 1) return fits[0](space, data, seed);
    const int most = int(std::min<Index>(data.size() - 1, 30));
    const CurveShapes shapes = curve_shapes(data.outputs, share, most);
    Components::State s;
    s.mean = shapes.mean;
    s.scale = shapes.scale;
    s.shapes = shapes.shapes;
    s.left_over = shapes.left_over;
    s.share = shapes.share;
    s.noisy = data.noisy;
    s.scores.resize(std::size_t(shapes.scores.cols()));
    parallel_for(shapes.scores.cols(), [&](std::int64_t k) {
      Data part = data;
      part.outputs = Eigen::MatrixXd(shapes.scores.col(k));
      const std::size_t f = fits.size() == 1 ? 0 : std::min(std::size_t(k), fits.size() - 1);
      s.scores[std::size_t(k)] = fits[f](space, part, seed);
    });
    return std::make_unique<Components>(std::move(s));
  };
}

Prediction Components::predict(Points points, Want want) const {
  const Index m = points.rows(), q = state_.mean.size();
  Prediction out;
  out.degrees_of_freedom = std::numeric_limits<double>::infinity();
  const Eigen::MatrixXd shapes = state_.scale.asDiagonal() * state_.shapes;  // q × r, in the output's unit
  out.mean = state_.mean.transpose().replicate(m, 1);
  if (want.variance) {
    const Eigen::MatrixXd rest = state_.left_over.transpose().replicate(m, 1);
    out.model_variance = state_.noisy ? Eigen::MatrixXd::Zero(m, q) : rest;
    out.noise_variance = state_.noisy ? rest : Eigen::MatrixXd::Zero(m, q);
  }
  if (want.gradient) out.mean_gradient.assign(std::size_t(q), Eigen::MatrixXd::Zero(m, points.cols()));
  for (std::size_t k = 0; k < state_.scores.size(); ++k) {
    const Prediction z = state_.scores[k]->predict(points, want);
    const Eigen::RowVectorXd shape = shapes.col(Index(k)).transpose();
    out.mean += z.mean * shape;
    out.degrees_of_freedom = std::min(out.degrees_of_freedom, z.degrees_of_freedom);
    if (want.variance) {
      out.model_variance += z.model_variance * shape.cwiseAbs2();
      out.noise_variance += z.noise_variance * shape.cwiseAbs2();
    }
    for (Index j = 0; want.gradient && j < q; ++j)
      out.mean_gradient[std::size_t(j)] += shape[j] * z.mean_gradient[0];
  }
  return out;
}

Eigen::MatrixXd Components::covariance(Points points, Index output) const {
  Eigen::MatrixXd out = Eigen::MatrixXd::Zero(points.rows(), points.rows());
  for (std::size_t k = 0; k < state_.scores.size(); ++k) {
    const double v = state_.scale[output] * state_.shapes(output, Index(k));
    if (v != 0) out += v * v * state_.scores[k]->covariance(points, 0);
  }
  if (!state_.noisy) out.diagonal().array() += state_.left_over[output];
  return out;
}

Archive Components::save() const {
  ArchiveWriter out;
  out.matrix(state_.mean);
  out.matrix(state_.scale);
  out.matrix(state_.left_over);
  out.matrix(state_.shapes);
  out.number(state_.share);
  out.count(state_.noisy);
  save_members(out, state_.scores);
  return {"components", 1, out.take()};
}

std::unique_ptr<const Surrogate> Components::load(const Archive& archive) {
  ArchiveReader in(archive.bytes);
  State s;
  s.mean = in.matrix();
  s.scale = in.matrix();
  s.left_over = in.matrix();
  s.shapes = in.matrix();
  s.share = in.number();
  s.noisy = in.count() != 0;
  s.scores = load_members(in);
  return std::make_unique<Components>(std::move(s));
}

}  // namespace renth
