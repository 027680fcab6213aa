// All responses at any settings, derived ones included.
#pragma once
#include <renth/workflow/session.hpp>

namespace renth {

/// The current surrogates of a study, ready to be asked.
class Predictor {
 public:
  /// \param needed  names of the responses to be ready for, with what they are derived from; empty: all
  ///                that have a surrogate.
  /// \throws Error  a needed response has no surrogate.
  Predictor(Session& session, const std::vector<std::string>& needed);

  /// Means, standard deviations and intervals at one level. The error of a derived response is carried
  /// through from each response it is made of, one standard deviation to either side, as if the errors of
  /// different responses were independent. Of a curve it is the larger of what follows if errors are the same
  /// all along it, and if every axis point has its own.
  PredictResult predict(Points points, double level) const;

  /// Means of all scalar responses, in study order, then the margins that conditions on parameters, responses
  /// and curves have by the means (m × (r + c)); NaN for curves, what was not needed and what is undefined.
  Eigen::MatrixXd means(Points points, const std::vector<Expression>& conditions = {}) const;

  /// Mean of one response along its axis (m × q), by the whole model or by the one without a fold.
  Eigen::MatrixXd mean_of(int response, Points points, int fold = -1) const;

  bool has(int response) const { return ready_[response]; }
  const StoredSurrogate* stored(int response) const {
    return surrogates_[response] ? &*surrogates_[response] : nullptr;
  }
  /// The fewest folds of any surrogate that a response needs; 0: some have none.
  int folds(int response) const;
  /// Adds the notes on weak and unfit surrogates that a response rests on; returns the worst verdict.
  Verdict note_verdicts(int response, Notes& notes) const;
  const Notes& notes() const { return notes_; }
  const Coverage& coverage() const { return coverage_; }
  const Study& study() const { return study_; }

 private:
  /// Puts means of responses (one m × q matrix each, or none) at one point where expressions look for them.
  void bind(const std::vector<Eigen::MatrixXd>& of, Eigen::Index row, std::vector<double>& numbers,
            std::vector<Eigen::VectorXd>& curves) const;
  double derive(int response, const Eigen::VectorXd& point, std::vector<double>& numbers,
                std::vector<Eigen::VectorXd>& curves) const;
  std::vector<int> sources(int response) const;
  const Study& study_;
  std::vector<std::optional<StoredSurrogate>> surrogates_;
  std::vector<RunData> data_;
  std::vector<bool> ready_;
  std::vector<Verdict> verdicts_;  // of each response that is fitted
  std::vector<Notes> verdict_notes_;
  Coverage coverage_;
  Notes notes_;
};

}  // namespace renth
