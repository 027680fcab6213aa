#include <cmath>
#include <renth/surrogate/kinds.hpp>
#include <renth/surrogate/rescaled.hpp>
#include <renth/surrogate/sound.hpp>

namespace renth {

Prediction Rescaled::answer(Points points, Want want) const {
  Prediction out = inner_->predict(points, want);
  out.model_variance *= factor_ * factor_;
  out.noise_variance *= factor_ * factor_;
  for (ErrorPart& part : out.parts) part.model *= factor_, part.noise *= factor_;
  return out;
}

Eigen::MatrixXd Rescaled::joint_covariance(Points points, Eigen::Index output) const {
  return factor_ * factor_ * inner_->covariance(points, output);
}

Archive Rescaled::save() const {
  ArchiveWriter out;
  out.number("factor", factor_);
  save_members(out, {inner_});
  return out.take("rescaled", 1);
}

std::unique_ptr<const Surrogate> Rescaled::load(const Archive& archive) {
  ArchiveReader in(archive.bytes);
  const double factor = in.number();
  need_sound(std::isfinite(factor));
  return std::make_unique<Rescaled>(load_members(in).at(0), factor);
}

}  // namespace renth
