// The current surrogates of a study, ready to be asked.
#pragma once
#include <renth/predict/predictor.hpp>
#include <renth/quality/quality.hpp>
#include <renth/store/session.hpp>
#include <string>
#include <vector>

namespace renth {

/// Adds a note on every surrogate of a model that is said to be weak or unfit.
void note_weak_parts(const Model& model, Notes& notes);

/// A study's model, and what is to be said of its surrogates.
class FittedStudy {
 public:
  /// \param needed  names of the responses to be ready for, with what they are derived from; empty: all
  ///                that have a surrogate.
  /// \throws Error  a needed response has no surrogate.
  FittedStudy(Session& session, const std::vector<std::string>& needed);

  const Predictor& predictor() const { return *predictor_; }
  const Model& model() const { return predictor_->model(); }
  bool has(int response) const { return predictor_->has(response); }
  /// What was found while the surrogates were looked up.
  const Notes& notes() const { return notes_; }
  /// Adds the notes on weak and unfit surrogates that a response rests on; returns the worst verdict.
  Verdict note_verdicts(int response, Notes& notes) const;

 private:
  std::optional<Predictor> predictor_;
  std::vector<Verdict> verdicts_;  // of each response that is fitted
  std::vector<Notes> verdict_notes_;
  Notes notes_;
};

}  // namespace renth
