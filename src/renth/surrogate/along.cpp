#include <algorithm>
#include <limits>
#include <renth/surrogate/along.hpp>
#include <renth/surrogate/kinds.hpp>
#include <renth/surrogate/sound.hpp>

namespace renth {

Prediction Along::answer(Points points, Want want) const {
  const Eigen::Index m = points.rows(), q = static_cast<Eigen::Index>(members_.size());
  Prediction out;
  out.mean.resize(m, q);
  if (want.variance) {
    out.model_variance.resize(m, q);
    out.noise_variance.resize(m, q);
  }
  out.degrees_of_freedom = std::numeric_limits<double>::infinity();
  for (Eigen::Index k = 0; k < q; ++k) {
    Prediction part = members_[k]->predict(points, want);
    out.mean.col(k) = part.mean;
    if (want.variance) {
      out.model_variance.col(k) = part.model_variance;
      out.noise_variance.col(k) = part.noise_variance;
    }
    if (want.gradient) out.mean_gradient.push_back(std::move(part.mean_gradient[0]));
    out.degrees_of_freedom = std::min(out.degrees_of_freedom, part.degrees_of_freedom);
  }
  return out;
}

Eigen::MatrixXd Along::joint_covariance(Points points, Eigen::Index output) const {
  return members_[output]->covariance(points, 0);
}

Archive Along::save() const {
  ArchiveWriter out;
  save_members(out, members_);
  return out.take("along", 1);
}

std::unique_ptr<const Surrogate> Along::load(const Archive& archive) {
  ArchiveReader in(archive.bytes);
  auto members = load_members(in);
  need_sound(!members.empty());
  return std::make_unique<Along>(std::move(members));
}

}  // namespace renth
