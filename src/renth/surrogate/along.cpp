#include <algorithm>
#include <limits>
#include <renth/numeric/dense.hpp>
#include <renth/surrogate/along.hpp>
#include <renth/surrogate/kinds.hpp>
#include <renth/surrogate/sound.hpp>

namespace renth {

Along::Along(std::vector<std::shared_ptr<const Surrogate>> members, Eigen::MatrixXd correlation)
    : members_(std::move(members)), correlation_(std::move(correlation)) {
  if (correlation_.size() == 0) return;
  directions_ = covariance_root(correlation_);
}

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
    Prediction part = members_[k]->predict(points, {want.variance, want.gradient});
    out.mean.col(k) = part.mean;
    if (want.variance) {
      out.model_variance.col(k) = part.model_variance;
      out.noise_variance.col(k) = part.noise_variance;
    }
    if (want.gradient) out.mean_gradient.push_back(std::move(part.mean_gradient[0]));
    out.degrees_of_freedom = std::min(out.degrees_of_freedom, part.degrees_of_freedom);
  }
  if (!want.parts) return out;
  const Eigen::MatrixXd model = deviations(out.model_variance), noise = deviations(out.noise_variance);
  for (Eigen::Index r = 0; r < directions_.cols(); ++r) {
    const Eigen::RowVectorXd way = directions_.col(r).transpose();
    out.parts.push_back({model.array().rowwise() * way.array(), noise.array().rowwise() * way.array()});
  }
  return out;
}

Eigen::MatrixXd Along::joint_covariance(Points points, Eigen::Index output) const {
  return members_[output]->covariance(points, 0);
}

Archive Along::save() const {
  ArchiveWriter out;
  save_members(out, members_);
  out.matrix("correlation", correlation_);
  return out.take("along", 2);
}

std::unique_ptr<const Surrogate> Along::load(const Archive& archive) {
  ArchiveReader in(archive.bytes);
  auto members = load_members(in);
  const auto q = Eigen::Index(members.size());
  // Until version 2 it was not known how errors go together.
  const Eigen::MatrixXd correlation = archive.version < 2 ? Eigen::MatrixXd() : in.matrix();
  need_sound(q > 0 && (correlation.size() == 0 || is_finite(correlation, q, q)));
  return std::make_unique<Along>(std::move(members), correlation);
}

}  // namespace renth
