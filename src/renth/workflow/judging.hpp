// How the current surrogate of a response does: the one place where verdicts of a study are made.
#pragma once
#include <memory>
#include <optional>
#include <renth/base/notes.hpp>
#include <renth/quality/quality.hpp>
#include <renth/search/canonical.hpp>
#include <renth/selection/choose.hpp>
#include <renth/store/session.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <string>
#include <vector>

namespace renth {

struct ModelResult {
  std::string response;
  int runs = 0;
  std::string kind, why;
  Judgement judgement;
  Quality quality;
  std::vector<Tried> tried;
  std::string chosen_settings;    ///< of the kind, in words
  std::string detail;             ///< what the fit came to: a kernel, a degree
  std::vector<std::string> idle;  ///< parameters that it leaves out
  std::vector<std::int64_t> ids;  ///< of the runs, in the order of the rows
  Eigen::MatrixXd settings;       ///< theirs, a row a run
  // Of a polynomial that is no curve:
  std::shared_ptr<const Polynomial> polynomial;
  std::vector<Coefficient> coefficients;
  NaturalPolynomial natural;
  std::optional<CanonicalAnalysis> surface;
  std::string no_surface;  ///< why there is none
  std::string weights;     ///< expression; empty: none
  TermSelection selection;
};

/// How the current surrogate of a response does on its runs and on the check batches.
ModelResult judge_surrogate(Session& session, const Response& response, const StoredSurrogate& stored,
                            const RunData& data, double level);

/// Adds what is printed of a polynomial besides its judgement; nothing to other kinds.
void add_statistics(Session& session, const StoredSurrogate& stored, double level, ModelResult& model);

/// The current polynomial of one response, with everything it is printed with. \throws Error  another kind, a
/// curve.
ModelResult current_polynomial(Session& session, const std::string& response, double level, Notes& notes);

/// The same without what only its runs can tell: its coefficients and its judgement. \throws Error  the same.
ModelResult polynomial_alone(Session& session, const std::string& response, double level, Notes& notes);

/// The judgement of the current surrogate of a response: worked out once, then kept with it until its runs
/// change. \param stored  as current_surrogate() gives it.
Judgement judgement_of(Session& session, const Response& response, const StoredSurrogate& stored);
/// Keeps one that was worked out anyway, in a state of the session.
void remember_judgement(Session& session, std::int64_t surrogate, std::uint64_t state,
                        const Judgement& judgement);

/// Adds a note if the surrogate of a response is weak or unfit.
void note_weak(const std::string& response, Verdict verdict, Notes& notes);
/// The verdict on the surrogate of a response; adds a note if it is weak or unfit.
Verdict note_verdict(Session& session, const Response& response, const StoredSurrogate& stored, Notes& notes);

}  // namespace renth
