// Kriging averaged over the lengths, kernels and noise that the runs leave open.
#pragma once
#include <memory>
#include <renth/surrogate/blend.hpp>
#include <renth/surrogate/kriging.hpp>
#include <vector>

namespace renth {

/// A mixture of krigings of the same runs, each with its share. What the runs do not settle (how far a
/// parameter reaches, how smooth the response is, how much it scatters) is in its variance.
class AveragedKriging final : public Surrogate {
 public:
  struct State {
    Eigen::MatrixXd features;             ///< n × f in the unit cube
    Eigen::MatrixXd terms;                ///< n × p, the trend at the runs
    std::vector<Kriging::State> members;  ///< without runs and terms; at least one
    Eigen::VectorXd shares;               ///< a member, adding up to 1
    /// Where the likelihood of each kernel is largest: a kriging without weights, for fits to part of the
    /// runs; the first is the likeliest of all.
    std::vector<Kriging::State> modes;
  };
  /// \throws Error  no member.
  explicit AveragedKriging(State state);
  static std::unique_ptr<const Surrogate> load(const Archive& archive);

  std::string_view kind() const override { return "kriging"; }
  void check(Points points) const override { blend_.check(points); }
  Prediction answer(Points points, Want want) const override { return blend_.predict(points, want); }
  Eigen::MatrixXd joint_covariance(Points points, Eigen::Index output) const override {
    return blend_.covariance(points, output);
  }
  Archive save() const override;

  const State& state() const { return state_; }

 private:
  static Blend blend_of(const State& state);
  State state_;
  Blend blend_;
};

/// The process of a kriging, or the likeliest of those that are averaged; null if it is neither.
const Process* likeliest_process(const Surrogate& surrogate);

}  // namespace renth
