#include <fmt/format.h>

#include <algorithm>
#include <renth/surrogate/kinds.hpp>
#include <renth/surrogate/reduced.hpp>
#include <renth/surrogate/sound.hpp>

namespace renth {

void Reduced::check(Points points) const {
  if (points.cols() != parameters_)
    throw Error(fmt::format("{} columns for {} parameters", points.cols(), parameters_), "points",
                "give a column a parameter, in their order");
  inner_->check(Eigen::MatrixXd(points(Eigen::all, kept_)));
}

Prediction Reduced::answer(Points points, Want want) const {
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

Eigen::MatrixXd Reduced::joint_covariance(Points points, Eigen::Index output) const {
  return inner_->covariance(Eigen::MatrixXd(points(Eigen::all, kept_)), output);
}

Archive Reduced::save() const {
  ArchiveWriter out;
  out.count("parameters", parameters_);
  out.count("kept parameters", Eigen::Index(kept_.size()));
  for (const Eigen::Index j : kept_) out.count("kept parameter", j);
  save_members(out, {inner_});
  return out.take("reduced", 1);
}

std::unique_ptr<const Surrogate> Reduced::load(const Archive& archive) {
  ArchiveReader in(archive.bytes);
  const Eigen::Index parameters = in.count();
  std::vector<Eigen::Index> kept;
  for (std::int64_t left = in.count(); left > 0; --left) kept.push_back(in.count());
  need_sound(!kept.empty() && kept.front() >= 0 && kept.back() < parameters && parameters <= 100'000 &&
             std::is_sorted(kept.begin(), kept.end()));
  return std::make_unique<Reduced>(parameters, std::move(kept), load_members(in).at(0));
}

}  // namespace renth
