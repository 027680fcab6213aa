// A curve along an axis: one surrogate an axis point.
#pragma once
#include <renth/surrogate/surrogate.hpp>

namespace renth {

/// The members side by side; degrees of freedom are the fewest of any member.
class Along final : public Surrogate {
 public:
  /// \param correlation  of the errors at two axis points, q × q; empty: unknown.
  explicit Along(std::vector<std::shared_ptr<const Surrogate>> members, Eigen::MatrixXd correlation = {});
  static std::unique_ptr<const Surrogate> load(const Archive& archive);

  std::string_view kind() const override { return members_.front()->kind(); }
  void check(Points points) const override { members_[0]->check(points); }
  Prediction answer(Points points, Want want) const override;
  Eigen::MatrixXd joint_covariance(Points points, Eigen::Index output) const override;
  Archive save() const override;
  const Surrogate& member(std::size_t i) const { return *members_[i]; }
  std::size_t size() const { return members_.size(); }
  const std::vector<std::shared_ptr<const Surrogate>>& members() const { return members_; }
  /// Columns whose squares add up to the correlation of the errors (q × r); empty if that is unknown.
  const Eigen::MatrixXd& directions() const { return directions_; }

 private:
  std::vector<std::shared_ptr<const Surrogate>> members_;
  Eigen::MatrixXd correlation_;
  Eigen::MatrixXd directions_;
};

}  // namespace renth
