#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/surrogate/blend.hpp>
#include <renth/surrogate/kinds.hpp>
#include <renth/surrogate/sound.hpp>

namespace renth {

using Index = Eigen::Index;

Prediction Blend::answer(Points points, Want want) const {
  Prediction out;
  std::vector<Prediction> parts;
  for (const auto& member : members_) parts.push_back(member->predict(points, want));
  out.degrees_of_freedom = std::numeric_limits<double>::infinity();
  for (std::size_t k = 0; k < parts.size(); ++k) {
    const double w = weights_[Index(k)];
    if (k == 0) out.mean = Eigen::MatrixXd::Zero(parts[k].mean.rows(), parts[k].mean.cols());
    out.mean += w * parts[k].mean;
    out.degrees_of_freedom = std::min(out.degrees_of_freedom, parts[k].degrees_of_freedom);
    if (want.gradient && k == 0)
      out.mean_gradient.assign(parts[k].mean_gradient.size(),
                               Eigen::MatrixXd::Zero(points.rows(), points.cols()));
    for (std::size_t q = 0; want.gradient && q < out.mean_gradient.size(); ++q)
      out.mean_gradient[q] += w * parts[k].mean_gradient[q];
  }
  if (want.variance) {
    out.model_variance = out.noise_variance = Eigen::MatrixXd::Zero(out.mean.rows(), out.mean.cols());
    for (std::size_t k = 0; k < parts.size(); ++k) {
      const double w = weights_[Index(k)];
      out.model_variance += w * (parts[k].model_variance + (parts[k].mean - out.mean).cwiseAbs2());
      out.noise_variance += w * parts[k].noise_variance;
    }
  }
  const bool known =
      std::none_of(parts.begin(), parts.end(), [](const Prediction& p) { return p.parts.empty(); });
  for (std::size_t k = 0; want.parts && known && k < parts.size(); ++k) {
    const double root = std::sqrt(std::max(0.0, weights_[Index(k)]));
    for (ErrorPart& part : parts[k].parts) out.parts.push_back({root * part.model, root * part.noise});
    out.parts.push_back(
        {root * (parts[k].mean - out.mean), Eigen::MatrixXd::Zero(out.mean.rows(), out.mean.cols())});
  }
  return out;
}

Eigen::MatrixXd Blend::joint_covariance(Points points, Index output) const {
  const Eigen::VectorXd mean = predict(points).mean.col(output);
  Eigen::MatrixXd out = Eigen::MatrixXd::Zero(points.rows(), points.rows());
  for (std::size_t k = 0; k < members_.size(); ++k) {
    const Eigen::VectorXd apart = members_[k]->predict(points).mean.col(output) - mean;
    out += weights_[Index(k)] * (members_[k]->covariance(points, output) + apart * apart.transpose());
  }
  return out;
}

Archive Blend::save() const {
  ArchiveWriter out;
  out.matrix("weights", weights_);
  save_members(out, members_);
  return out.take("blend", 1);
}

std::unique_ptr<const Surrogate> Blend::load(const Archive& archive) {
  ArchiveReader in(archive.bytes);
  const Eigen::VectorXd weights = in.vector();
  auto members = load_members(in);
  need_sound(!members.empty() && is_finite(weights, Eigen::Index(members.size())));
  return std::make_unique<Blend>(std::move(members), weights);
}

}  // namespace renth
