// What the steps of the work come to, as plain structs; json.hpp and tables.hpp turn them into text.
#pragma once
#include <optional>
#include <renth/adaptive/separation.hpp>
#include <renth/plan/assess.hpp>
#include <renth/plan/plan.hpp>
#include <renth/plan/sweep.hpp>
#include <renth/quality/learning.hpp>
#include <renth/quality/quality.hpp>
#include <renth/search/canonical.hpp>
#include <renth/search/seek.hpp>
#include <renth/selection/choose.hpp>
#include <renth/sensitivity/rank.hpp>
#include <renth/study/store.hpp>
#include <renth/study/study.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <string>
#include <vector>

namespace renth {

/// Something that the analyst should know before believing a document.
struct Note {
  std::string code, text;
};
using Notes = std::vector<Note>;

struct PlanResult {
  Batch batch;
  Plan plan;                      ///< the new points only
  std::vector<std::int64_t> ids;  ///< empty for a dry run
  std::string why;                ///< why this method, if it was chosen here
  Evenness evenness;
  std::optional<Assessment> assessment;  ///< of a dry run, and after extending
  std::optional<Assessment> before;      ///< of a batch that is extended
  std::optional<Sweep> sweep;            ///< of a range of run counts; then there is no plan
  std::string model;                     ///< of an optimal plan
  std::optional<double> from_fit_runs;   ///< of check runs: smallest distance to a run that is fitted
  bool stored = false;
  Notes notes;
};

/// One plan or more, judged for the same terms.
struct AssessResult {
  struct OfPlan {
    std::string name;
    Assessment assessment;
  };
  std::vector<OfPlan> plans;  ///< the one asked for first
  std::string model;
  Notes notes;
};

struct RunsResult {
  std::vector<Run> runs;
  Notes notes;
};

struct RunSummary {
  int done = 0, failed = 0, left = 0, adopted = 0, copied = 0;
  int partial = 0;    ///< of the done ones: some axis points are missing
  int submitted = 0;  ///< calls given to the cluster now
  int queued = 0;     ///< calls that are with the cluster still
  int scheduler_calls = 0;
  bool stopped = false;
  std::vector<std::pair<std::int64_t, std::string>> failures;  ///< run and message
  Notes notes;
};

/// What `run --dry-run` would do.
struct DryRun {
  struct OfCall {
    std::int64_t run = 0;
    int point = -1;
    std::string folder;
    std::vector<std::string> command;
    std::vector<std::pair<std::string, std::string>> inputs;  ///< file and text
  };
  std::vector<OfCall> calls;
  int jobs = 1;
  Notes notes;
};

/// Who ran what when.
struct JournalResult {
  std::vector<JournalEntry> entries;
  Notes notes;
};

/// Where runs fail, and why.
struct FailuresResult {
  int done = 0, failed = 0, partial = 0;
  double share = 0, low = 0, high = 0;  ///< of the runs that ended, and its 95 % interval
  struct Reason {
    std::string text;
    std::vector<std::int64_t> runs;
  };
  std::vector<Reason> reasons;  ///< most frequent first
  std::optional<SeparatingRule> rule;
  std::string rule_text;  ///< "draft > 5.2 && radius < 4"
  std::string
      limit_text;        ///< what keeps out of there, as an expression; empty if the rule does not say enough
  std::string sentence;  ///< what the rule is worth, in words
  Notes notes;
};

/// What the sources of [solver] output find in a saved output.
struct SampleCheck {
  std::string file;
  std::map<std::string, std::vector<double>> values;
  std::vector<std::string> problems;
  Notes notes;
};

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
struct FitResult {
  std::vector<ModelResult> models;
  bool in_full = false;  ///< the table shows the statistics of every polynomial, not only of a single one
  Notes notes;
};

/// One run as a surrogate sees it; curves give one row an axis point.
struct ResidualRow {
  std::int64_t id = 0;
  std::string batch;
  double at = 0;  ///< axis point of a curve
  double observed = 0, fitted = 0, cross_validated = 0, error_percent = 0;
};
struct TrustResult {
  struct OfResponse {
    ModelResult model;
    std::vector<ResidualRow> residuals;  ///< largest error first
    std::vector<ResidualRow> check;      ///< check runs; fitted is the prediction, cross_validated the same
    double coverage = 0;                 ///< share of runs inside their intervals, each left out
    double calibrated_check = 0;         ///< share of check runs inside calibrated intervals; NaN without
    std::optional<LearningCurve> learning;
  };
  std::vector<OfResponse> responses;
  Notes notes;
};

/// What a round of refining gained.
struct RefineRound {
  int round = 0;
  std::string batch;
  int runs = 0, failed = 0;  ///< of the batch
  std::map<std::string, double> q2_before, q2;
  double best_error_percent =
      0;             ///< half-width of the prediction interval at the best setting; NaN if not asked
  std::string says;  ///< one line
};

struct RefineResult {
  std::vector<RefineRound> rounds;
  std::string strategy;
  bool reached = false, stopped = false;
  int spent = 0, budget = 0, failed = 0;
  std::string why;  ///< it ended
  std::map<std::string, double> q2;
  std::map<std::string, Verdict> verdicts;
  bool to_be_measured = false;  ///< a manual study: runs are planned and wait for values
  Notes notes;
};

struct RankResult {
  struct OfResponse {
    std::string response, basis = "surrogate";
    Ranking ranking;
    Verdict verdict = Verdict::unfit;
  };
  std::vector<OfResponse> responses;
  Notes notes;
};

/// What is predicted of one response at one point: one value, or one an axis point.
struct PredictedResponse {
  std::string response;
  std::vector<double> mean, sd;
  std::vector<double> confidence_low, confidence_high, prediction_low, prediction_high;
  std::vector<double> calibrated_low, calibrated_high;  ///< empty: not available
};
struct PredictedPoint {
  Eigen::VectorXd point;
  bool inside = false;
  std::vector<PredictedResponse> responses;
};
struct PredictResult {
  std::vector<PredictedPoint> predictions;
  Notes notes;
};

struct ExtremesResult {
  struct OfResponse {
    std::string response;
    Extremes extremes;
  };
  std::vector<OfResponse> responses;
  Notes notes;
};

struct SeekOutcome {
  SeekResult result;
  std::vector<int> goal_response;                   ///< response of each goal
  std::vector<PredictedPoint> predicted;            ///< one a proposal
  std::vector<std::map<std::string, bool>> within;  ///< a proposal: response within its hard limits
  Notes notes;
};

struct ConfirmResult {
  struct OfResponse {
    std::string response;
    double predicted = 0, low = 0, high = 0;
    std::optional<double> computed;
    std::optional<double> error_percent;
    std::optional<bool> inside;
  };
  struct OfProposal {
    int rank = 0;
    std::int64_t run = 0;
    std::string status, message;
    Eigen::VectorXd point;
    std::vector<OfResponse> responses;
  };
  std::vector<OfProposal> proposals;
  bool missed = false;  ///< some computed value lies outside its prediction interval
  Notes notes;
};

/// What `check` understood, and what a change of the study means for runs that exist.
struct CheckResult {
  double feasible_share = 1;
  int suggested = 0;
  int planned = 0, running = 0, done = 0, failed = 0, set_aside = 0;
  Notes notes;
};

}  // namespace renth
