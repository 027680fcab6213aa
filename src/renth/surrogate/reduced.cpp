#include <renth/surrogate/kinds.hpp>
#include <renth/surrogate/reduced.hpp>

namespace renth {

Prediction Reduced::predict(Points points, Want want) const {
  Prediction out = inner_->predict(Eigen::MatrixXd(points(Eigen::all, kept_)), want);
  for (Eigen::MatrixXd& gradient : out.mean_gradient) {
    Eigen::MatrixXd full = Eigen::MatrixXd::Zero(points.rows(), parameters_);
    for (std::size_t k = 0; k < kept_.size(); ++k) full.col(kept_[k]) = gradient.col(Eigen::Index(k));
    gradient = std::move(full);
  }
  return out;
}

Intervals Reduced::intervals(const Prediction& prediction, double level) const {
  return inner_->intervals(prediction, level);
}

Eigen::MatrixXd Reduced::covariance(Points points, Eigen::Index output) const {
  return inner_->covariance(Eigen::MatrixXd(points(Eigen::all, kept_)), output);
}

Archive Reduced::save() const {
  ArchiveWriter out;
  out.count(parameters_);
  out.count(Eigen::Index(kept_.size()));
  for (const Eigen::Index j : kept_) out.count(j);
  save_members(out, {inner_});
  return {"reduced", 1, out.take()};
}

std::unique_ptr<const Surrogate> Reduced::load(const Archive& archive) {
  ArchiveReader in(archive.bytes);
  const Eigen::Index parameters = in.count();
  std::vector<Eigen::Index> kept;
  for (std::int64_t left = in.count(); left > 0; --left) kept.push_back(in.count());
  return std::make_unique<Reduced>(parameters, std::move(kept), load_members(in).at(0));
}

}  // namespace renth
