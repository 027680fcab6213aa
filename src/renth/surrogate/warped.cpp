#include <cmath>
#include <renth/surrogate/kinds.hpp>
#include <renth/surrogate/sound.hpp>
#include <renth/surrogate/warped.hpp>

namespace renth {

using Index = Eigen::Index;

LogScale LogScale::of(const Eigen::VectorXd& y, int sign, double room) {
  const double low = y.minCoeff(), high = y.maxCoeff();
  return {sign, (sign > 0 ? -low : high) + room * (high - low), room};
}

double LogScale::forward(double y) const {
  return std::log(sign * y + shift);
}

double LogScale::back(double z) const {
  return sign * (std::exp(z) - shift);
}

double LogScale::slope(double y) const {
  return sign * (sign * y + shift);
}

Prediction Warped::answer(Points points, Want want) const {
  Prediction out = inner_->predict(points, want);
  Eigen::MatrixXd slope(out.mean.rows(), out.mean.cols());
  for (Index k = 0; k < out.mean.cols(); ++k)
    for (Index i = 0; i < out.mean.rows(); ++i) {
      out.mean(i, k) = scale_.back(out.mean(i, k));
      slope(i, k) = scale_.slope(out.mean(i, k));
    }
  if (want.variance) {
    out.model_variance.array() *= slope.array().square();
    out.noise_variance.array() *= slope.array().square();
  }
  for (ErrorPart& part : out.parts) {
    part.model.array() *= slope.array();
    part.noise.array() *= slope.array();
  }
  for (std::size_t k = 0; k < out.mean_gradient.size(); ++k)
    out.mean_gradient[k].array().colwise() *= slope.col(Index(k)).array();
  return out;
}

Intervals Warped::intervals(const Prediction& p, double level) const {
  Prediction z = p;
  for (Index k = 0; k < p.mean.cols(); ++k)
    for (Index i = 0; i < p.mean.rows(); ++i) {
      const double slope = scale_.slope(p.mean(i, k));
      z.mean(i, k) = scale_.forward(p.mean(i, k));
      z.model_variance(i, k) /= slope * slope;
      z.noise_variance(i, k) /= slope * slope;
    }
  Intervals out = inner_->intervals(z, level);
  for (Eigen::MatrixXd* bound :
       {&out.confidence_low, &out.confidence_high, &out.prediction_low, &out.prediction_high})
    for (double& v : bound->reshaped()) v = scale_.back(v);
  if (scale_.sign < 0) {
    out.confidence_low.swap(out.confidence_high);
    out.prediction_low.swap(out.prediction_high);
  }
  return out;
}

Eigen::MatrixXd Warped::joint_covariance(Points points, Index output) const {
  const Eigen::VectorXd slope =
      answer(points, {}).mean.col(output).unaryExpr([this](double y) { return scale_.slope(y); });
  return slope.asDiagonal() * inner_->covariance(points, output) * slope.asDiagonal();
}

Archive Warped::save() const {
  ArchiveWriter out;
  out.count("sign", scale_.sign);
  out.number("shift", scale_.shift);
  out.number("room", scale_.room);
  save_members(out, {inner_});
  return out.take("warped", 1);
}

std::unique_ptr<const Surrogate> Warped::load(const Archive& archive) {
  ArchiveReader in(archive.bytes);
  LogScale scale;
  scale.sign = in.count() < 0 ? -1 : 1;
  scale.shift = in.number();
  scale.room = in.number();
  need_sound(std::isfinite(scale.shift) && std::isfinite(scale.room) && scale.room > 0);
  return std::make_unique<Warped>(load_members(in).at(0), scale);
}

}  // namespace renth
