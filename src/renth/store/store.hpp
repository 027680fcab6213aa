// study.db: batches, runs, what they gave, and what was fitted to them.
#pragma once
#include <algorithm>
#include <map>
#include <memory>
#include <nlohmann/json.hpp>
#include <optional>
#include <renth/base/words.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/plan.hpp>
#include <renth/quality/cross_validation.hpp>
#include <renth/store/database.hpp>
#include <renth/store/run_records.hpp>
#include <renth/store/sealed.hpp>
#include <renth/study/study.hpp>
#include <string>
#include <vector>

namespace renth {

/// A set of runs planned together, with the recipe that made it.
struct Batch {
  std::int64_t id = 0;
  std::string name, use = "fit", method;
  std::map<std::string, std::string> options;
  Seed seed = 0;
  std::uint64_t next = 0;  ///< position after its last point in an endless sequence
};

enum class RunStatus { planned, running, done, failed };
inline constexpr EnumWords<RunStatus, 4> run_status_words{"status", {"planned", "running", "done", "failed"}};
constexpr std::string_view name(RunStatus status) {
  return run_status_words(status);
}
/// What a batch is for: fitted; never fitted; fitted only when asked for.
inline const std::vector<std::string> batch_uses = {"fit", "check", "confirm"};
inline bool is_use(std::string_view word) {
  return std::find(batch_uses.begin(), batch_uses.end(), word) != batch_uses.end();
}

/// What a run gave for one response: one value, or one an axis point (NaN: missing) with the axis as it
/// was then.
struct Output {
  std::vector<double> values, axis;
};
using Outputs = std::map<std::string, Output>;

/// One run as stored.
struct Run {
  std::int64_t id = 0;
  std::string batch, use, origin;
  int block = 0;
  RunStatus status = RunStatus::planned;
  Settings settings;
  Outputs responses;
  std::optional<std::string> set_aside;                   ///< reason, if set aside altogether
  std::map<std::string, std::string> response_set_aside;  ///< reason, for one response
  std::string message;
  double seconds = 0;
  int attempts = 0;
  std::int64_t maker = 0;  ///< what computed it (Store::makers()); 0: unknown, or imported
};

/// What can be said of a run at a glance.
struct RunHead {
  std::int64_t id = 0;
  std::string batch;
  RunStatus status = RunStatus::planned;
  std::string host;  ///< of a running one: where
};

/// A fitted surrogate as stored.
struct StoredSurrogate {
  std::int64_t id = 0;
  std::string response, kind, options;  ///< options: TERMS and the like, as JSON
  std::uint64_t data_hash = 0, study_hash = 0;
  nlohmann::json tried;
  std::string why;
  std::shared_ptr<const Surrogate> surrogate;
  CrossValidation cv;
  Eigen::MatrixXd errors;  ///< n × q, |left-out error|; no columns in stores of before they were kept
  std::vector<std::int64_t> runs;  ///< ids, in the order of the rows
};

/// The name of the fit that was the current one before.
inline constexpr const char* previous_fit = "last";

/// A fit that has a name.
struct FitName {
  std::string response, name;  ///< name: empty of the current one
  std::int64_t surrogate = 0;
  std::string kind, date;  ///< date: UTC, when it was fitted
  int runs = 0;
};

/// A done run as it stands in the store.
struct RunRow {
  std::int64_t id = 0, batch = 0;  ///< the batch by its id
  int block = 0;
  std::string_view settings;  ///< gone with the next row
  bool set_aside = false;
  std::int64_t maker = 0;  ///< see Run
};

/// What a verb found last, with all that says how it was come by.
struct KeptResult {
  std::string verb, variant;  ///< variant: of verbs with methods the method; else empty
  nlohmann::json options;
  Seed seed = 0;
  std::uint64_t state = 0;  ///< of the data that it was found in (Session::data_state())
  std::string document;     ///< JSON, as printed with --json
  std::string date;         ///< UTC, set by the store
};

/// A command of this study as it was typed.
struct LoggedCommand {
  std::int64_t id = 0;
  std::string date;  ///< UTC, set by the store
  std::vector<std::string> words;
  int status = 0;  ///< its exit status
};

/// A setting that `seek` proposed.
struct StoredProposal {
  int rank = 0;
  Settings settings;
  std::string scenario = {};  ///< empty: it was sought without one
};

/// A setting that is kept by name.
struct StoredMark {
  std::string name;
  Settings settings;
  std::string date = {};  ///< UTC, set by the store
};

/// The store of one study. Every change is one transaction; what is committed is durable.
///
/// The schema carries a version (PRAGMA user_version): older stores are migrated when opened, newer
/// ones refused.
class Store {
 public:
  enum class Opening {
    usual,
    taking_in,  ///< run folders may be there already: they are to be taken in
  };
  /// Opens or makes `folder`/study.db. \throws Error (machine)  it cannot be; it is empty or missing, and
  /// there are folders of finished runs, which a new store would overwrite.
  explicit Store(const std::filesystem::path& folder, Opening opening = Opening::usual);
  /// May it only be read? Then it can be looked at, and nothing that verbs find is kept.
  bool read_only() const { return db_.read_only(); }

  /// Does something that is not worth waiting for another process that writes. \throws Error (machine)  it
  /// writes too long; whatever `body` throws.
  void without_waiting(const std::function<void()>& body);

  /// What `body` reads is of one moment.
  void reading(const std::function<void()>& body) { db_.reading(body); }

  /// All of `body` or nothing.
  void transaction(const std::function<void()>& body) { db_.transaction(body); }

  std::vector<Batch> batches();
  std::optional<Batch> batch(const std::string& name);
  /// \param place  where it is named. \throws Error  there is none of this name.
  Batch need_batch(const std::string& name, const std::string& place);
  /// Adds a batch with planned runs; returns their ids in order. \throws Error  the name is taken.
  std::vector<std::int64_t> add_batch(const Batch& batch, const std::vector<Run>& runs);
  /// Adds planned runs to a batch that exists and moves its position to `next`; returns their ids.
  std::vector<std::int64_t> extend_batch(const std::string& batch, const std::vector<Run>& runs,
                                         std::uint64_t next);
  /// Removes the planned runs of a batch, and the batch if nothing is left; returns how many.
  int discard(const std::string& batch);

  std::vector<Run> runs();
  std::vector<Run> runs_of(const std::string& batch);
  std::optional<Run> run(std::int64_t id);
  std::vector<RunHead> heads();
  std::int64_t add_run(const std::string& batch, const Run& run);
  /// \param maker  what computed it from here on (makers()); nothing: as it was.
  void set_status(std::int64_t run, RunStatus status, const std::string& message, double seconds,
                  int attempts, std::optional<std::int64_t> maker = std::nullopt);
  void set_settings(std::int64_t run, const Settings& settings);
  void set_outputs(std::int64_t run, const Outputs& outputs);
  void set_aside(std::int64_t run, const std::string& response, const std::optional<std::string>& why);

  /// The number of a description of what computes runs (see maker_document()); known from then on.
  std::int64_t maker(const std::string& document);
  std::map<std::int64_t, std::string> makers();
  /// Adds a run with the number that it had, its batch made if there is none of that name. \throws Error
  /// there is a run of that number.
  void take_in(std::int64_t id, const Run& run);

  /// The machine that computes a running run.
  void set_host(std::int64_t run, const std::string& host);
  std::vector<Piece> pieces(std::int64_t run);
  void set_piece(std::int64_t run, const Piece& piece);
  void drop_failed_pieces(std::int64_t run);
  void add_to_journal(const JournalEntry& entry);
  std::vector<JournalEntry> journal();
  std::int64_t add_submission(const Submission& submission, const std::vector<Submitted>& calls);
  void set_submission(const Submission& submission);
  std::vector<Submission> open_submissions();
  std::vector<Submitted> submitted();  ///< calls whose outcome has not been collected
  void forget_submitted(std::int64_t run, int point);

  /// Reads all done runs in the order of their ids, then all outputs (of any run) by run and response, then
  /// what is set aside for one response; of one moment.
  void read_done(
      const std::function<void(const RunRow&)>& run, const std::function<void()>& runs_read,
      const std::function<void(std::int64_t, std::string_view response, std::string_view value)>& output,
      const std::function<void(std::int64_t, std::string_view response)>& aside);
  /// Goes up with every change of a done run, whoever makes it.
  std::int64_t revision();
  /// The same, but of no run that only confirms a setting: of what surrogates and results rest on.
  std::int64_t revision_of_fitted();

  /// Makes it the current one of its response, and known by a name if there is one; returns its id.
  std::int64_t save(const StoredSurrogate& surrogate, const std::string& name = "");
  /// The fit of a response with this name; empty: the current one.
  std::optional<StoredSurrogate> fitted(const std::string& response, const std::string& name = "");
  /// Its id; 0: none.
  std::int64_t fitted_id(const std::string& response, const std::string& name = "");
  /// By response, then name; the current ones too.
  std::vector<FitName> fit_names();
  /// Makes a stored fit the current one. What was the current one is then `previous_fit`, unless it is the
  /// same fit of the same runs.
  void make_current(const std::string& response, std::int64_t surrogate);
  /// From now on it has this name; what had it before is no longer known by it.
  void name_fit(const std::string& response, const std::string& name, std::int64_t surrogate);
  void forget_fit(const std::string& response, const std::string& name);

  /// What was worked out from the runs as they were in `state`, and need not be again; nothing if it was in
  /// another.
  std::optional<std::string> worked_out(const std::string& what, std::int64_t of, std::uint64_t state);
  struct WorkedOut {
    std::string what;
    std::int64_t of = 0;
    std::uint64_t state = 0;
    std::string bytes;
  };
  /// Keeps it. Not worth a failure: what cannot be written now will be worked out again.
  void keep(const std::vector<WorkedOut>& all) noexcept;

  void keep(const KeptResult& result);
  /// By verb, then variant. \param verb  of this alone; empty: of all.
  std::vector<KeptResult> results(const std::string& verb = "");
  void log(const std::vector<std::string>& words, int status);
  std::vector<LoggedCommand> logged();

  void save_proposals(const std::vector<StoredProposal>& proposals, const nlohmann::json& document);
  /// Of the last seek, scenario after scenario.
  std::vector<StoredProposal> proposals();

  /// Keeps it; another of this name is replaced.
  void save_mark(const StoredMark& mark);
  std::vector<StoredMark> marks();  ///< by name
  /// \returns  whether there was one.
  bool remove_mark(const std::string& name);

  /// Keeps an operating window; another of this name is replaced.
  void save_window(const std::string& name, const nlohmann::json& document);
  /// By name.
  std::map<std::string, nlohmann::json> windows();

 private:
  std::int64_t counted(const char* query);  ///< the one number that it gives
  void put_fit_name(const std::string& response, const std::string& name, std::int64_t surrogate);
  void drop_nameless_folds(const std::string& response);
  void seal_batch(const std::string& name);
  void seal_run(std::int64_t run);
  std::vector<Run> read_runs(Statement& query);
  /// The columns that run_of_row() reads, of runs joined with their batches; a condition may follow.
  static constexpr const char* select_runs =
      "SELECT run.id, batch.name, batch.use, origin, block, settings, status, message, seconds, attempts, "
      "set_aside, maker, " RENTH_SOUND_RUN ", " RENTH_SOUND_BATCH
      " FROM run JOIN batch ON batch.id = run.batch ";
  static Run run_of_row(const Statement& row);
  Database db_;
};

nlohmann::json to_json(const Settings& settings);
Settings settings_from_json(const nlohmann::json& json);

}  // namespace renth
