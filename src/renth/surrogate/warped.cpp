#include <cmath>
#include <renth/surrogate/carried_back.hpp>
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
  carry_back(out, scale_);
  return out;
}

Intervals Warped::intervals(const Prediction& prediction, double level) const {
  return carried_back_intervals(prediction, scale_,
                                [&](const Prediction& z) { return inner_->intervals(z, level); });
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
