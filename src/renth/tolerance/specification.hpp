// What is in specification: the accept limits of a model's responses, as margins.
#pragma once
#include <renth/predict/predictor.hpp>
#include <string>
#include <vector>

namespace renth {

/// One side of what is accepted of a response.
struct SpecificationLimit {
  int response = -1;  ///< −1: the chance that the solver fails
  bool is_most = false;
  std::string text;  ///< "power >= 40"
};

struct SpecificationOptions {
  bool mean_only = false;  ///< leave out what a run scatters round the mean, where the study is noisy
  /// Limits hold with this probability by the surrogates' errors, one response at a time; 0: by the means.
  double sure = 0;
  double most_failure_risk = 1;  ///< a chance of failing above it is out of specification; 1: none is
  /// In place of the limits of the problem: one a response; empty: those.
  std::vector<Accept> accept = {};
};

/// Asks a model whether settings are in specification. Immutable and re-entrant.
class Specification {
 public:
  /// \param predictor  outlives it.
  /// \throws Error  no response that the model has is limited.
  Specification(const Predictor& predictor, SpecificationOptions options = {});

  const std::vector<SpecificationLimit>& limits() const { return limits_; }
  /// Scalar responses that are worked out besides: those with limits or goals.
  const std::vector<int>& responses() const { return responses_; }
  const Accept& accept(int response) const { return options_.accept[std::size_t(response)]; }
  /// Standard normal numbers that a run's scatter takes: one an output of a noisy surrogate.
  Eigen::Index noise() const { return noise_; }
  const Predictor& predictor() const { return predictor_; }
  const SpecificationOptions& options() const { return options_; }

  struct Answer {
    Eigen::MatrixXd margins;    ///< m × limits, in the responses' units; ≥ 0 holds, NaN is undefined there
    Eigen::MatrixXd responses;  ///< m × responses()
  };
  /// \param normals  m × noise(), or no columns: the means.
  Answer at(Points points, const Eigen::MatrixXd& normals = {}) const;
  /// The margins alone.
  Eigen::MatrixXd margins(Points points) const { return at(points).margins; }

  /// The answer where what the surrogates say is given: of each source() the values (m × q).
  Answer of(Points points, const std::vector<Eigen::MatrixXd>& values) const;
  /// The fitted responses that limits and responses are worked out from, ascending.
  const std::vector<int>& sources() const { return sources_; }

 private:
  Answer block(Points points, const Eigen::MatrixXd& normals) const;
  Eigen::MatrixXd with_noise(std::size_t source, Points points, const Eigen::MatrixXd& normals) const;
  void sure_margins(Points points, Eigen::MatrixXd& margins) const;
  const Predictor& predictor_;
  SpecificationOptions options_;
  std::vector<SpecificationLimit> limits_;
  std::vector<int> responses_, sources_;
  std::vector<Eigen::Index> first_noise_;     // of each source; −1: none
  std::vector<Eigen::RowVectorXd> constant_;  // its noise's deviation, if it is the same everywhere
  std::vector<int> derived_;
  Eigen::Index noise_ = 0;
};

/// The share of rows in which every margin holds.
double share_passing(const Eigen::MatrixXd& margins);

/// Limits that are typed, in place of those of the problem: "R<=V" replaces what R may be at most.
/// \throws Error  anything else; an unknown response.
std::vector<Accept> accepts_with(const Problem& problem, const std::vector<std::string>& typed,
                                 const std::string& place);

}  // namespace renth
