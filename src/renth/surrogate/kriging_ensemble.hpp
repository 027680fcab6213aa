// Kriging with what the runs leave open of its lengths, kernel and noise.
#pragma once
#include <memory>
#include <renth/numeric/lazily.hpp>
#include <renth/surrogate/kriging.hpp>
#include <vector>

namespace renth {

/// The likeliest kriging predicts; its variance is about that mean and takes in a sample of the others that
/// the same runs allow, each with its share: Σ share (v + (μ_k − μ)²). How far a parameter reaches, how
/// smooth the response is and how much it scatters are never known as well as a single fit pretends.
class KrigingEnsemble final : public Surrogate {
 public:
  struct State {
    Eigen::MatrixXd features;             ///< n × f in the unit cube
    Eigen::MatrixXd terms;                ///< n × p, the trend at the runs
    std::vector<Kriging::State> members;  ///< without runs and terms; at least one
    Eigen::VectorXd shares;               ///< a member, adding up to 1
    /// Where the likelihood of each kernel is largest, without runs and terms. The first is the likeliest of
    /// all, which predicts; the others are without weights, for fits to part of the runs.
    std::vector<Kriging::State> modes;
  };
  /// \throws Error  no member or no mode.
  explicit KrigingEnsemble(State state);
  static std::unique_ptr<const Surrogate> load(const Archive& archive);

  std::string_view kind() const override { return "kriging"; }
  void check(Points points) const override { likeliest_->check(points); }
  Prediction answer(Points points, Want want) const override;
  Eigen::MatrixXd joint_covariance(Points points, Eigen::Index output) const override;
  Archive save() const override;

  const State& state() const { return state_; }
  const Kriging& likeliest() const { return *likeliest_; }
  using Members = std::vector<std::unique_ptr<const Kriging>>;
  const Members& members() const;  // when a variance is first asked for: models of folds never are

 private:
  std::unique_ptr<const Kriging> with_runs(Kriging::State state) const;

  State state_;
  std::unique_ptr<const Kriging> likeliest_;
  Lazily<Members> members_;
};

/// The process of a kriging, of an ensemble the likeliest; null if it is neither.
const Process* likeliest_process(const Surrogate& surrogate);

}  // namespace renth
