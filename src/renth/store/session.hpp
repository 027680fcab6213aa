// A study with its store, and the data that surrogates are fitted to.
#pragma once
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <renth/base/notes.hpp>
#include <renth/numeric/random.hpp>
#include <renth/predict/model.hpp>
#include <renth/space/region.hpp>
#include <renth/store/run_table.hpp>
#include <renth/store/store.hpp>
#include <renth/study/study.hpp>
#include <renth/surrogate/data.hpp>
#include <string>
#include <vector>

namespace renth {

/// An open study. What it reads of the store it keeps until the store changes.
class Session {
 public:
  explicit Session(const std::filesystem::path& folder, Store::Opening opening = Store::Opening::usual);
  ~Session();
  Session(const Session&) = delete;
  Session& operator=(const Session&) = delete;

  Study study;
  Store store;

  /// All done runs; good until something changes them.
  const RunTable& runs();
  /// Where the runs that surrogates are fitted to lie.
  const Coverage& coverage();
  /// The surrogate of a response that was kept by this name, or the current one; nullptr: there is none.
  std::shared_ptr<const StoredSurrogate> surrogate(const std::string& response, const std::string& name = "");

  /// The part of the model that a surrogate makes: made once while its runs stay as they are.
  std::shared_ptr<const Model::Part> part(const StoredSurrogate& stored,
                                          const std::function<Model::Part()>& make);

  /// Stands for the study file, the done runs and this version: what was worked out in one state holds as
  /// long as it lasts.
  std::uint64_t state();
  /// What the results of verbs rest on: the current surrogates, and all but runs that only confirm.
  std::uint64_t data_state();
  /// What `make` gives, worked out once in a state and kept in the store.
  /// \param of  what it is of: the id of a surrogate, or 0.
  std::string worked_out(const std::string& what, std::int64_t of, const std::function<std::string()>& make);
  /// The same of what is known already, and of the state in which it was found.
  void remember(const std::string& what, std::int64_t of, std::uint64_t state, std::string bytes) {
    to_keep_.push_back({what, of, state, std::move(bytes)});
  }
  /// Writes what was worked out; else the end of the session does.
  void keep();

 private:
  std::optional<RunTable> runs_;
  std::int64_t runs_revision_ = -1;
  std::optional<Coverage> coverage_;
  std::uint64_t coverage_state_ = 0;
  std::map<std::pair<std::string, std::string>, std::shared_ptr<const StoredSurrogate>> surrogates_;
  struct Made {
    std::uint64_t state = 0;
    std::shared_ptr<const Model::Part> part;
  };
  std::map<std::int64_t, Made> parts_;  // by the surrogate's id
  std::vector<Store::WorkedOut> to_keep_;
};

/// The runs of one response that can be fitted or checked against.
struct RunData {
  Data data;
  std::vector<std::int64_t> ids;
  std::vector<std::string> batches;
  Notes notes;  ///< runs that were left out, and why
};

/// A run's setting as a point of the study's parameters (see Study::point_of_run()).
Eigen::VectorXd point_of(const Study& study, const Run& run);

/// Points as the rows of a matrix.
Eigen::MatrixXd stacked(const std::vector<Eigen::VectorXd>& points, Eigen::Index columns);

/// Done runs of batches with one of these uses, not set aside, that have the response. For a curve a
/// run needs at least one axis point.
/// \param weights  an expression of parameters and responses; empty: all runs count alike.
/// \throws Error  it does not parse, or is not above zero for some run.
RunData collect_data(Session& session, const Response& response, const std::vector<std::string>& uses,
                     const std::string& weights = "");

/// The runs that a surrogate was fitted to, in its order, also those set aside since; without those that are
/// gone.
RunData fitted_data(Session& session, const Response& response, const StoredSurrogate& stored);
/// Are they what they were when it was fitted?
bool is_as_fitted(const RunData& data, const StoredSurrogate& stored);
/// Both. \throws Error  they are not: figures would be of something else.
RunData need_fitted_data(Session& session, const Response& response, const StoredSurrogate& stored);

/// What a run gave for a curve, along the study's axis; NaN at points that are missing; nothing if it has
/// none.
std::optional<Eigen::VectorXd> computed_curve(const Study& study, const Run& run, const Response& response);

/// What a run gave for a scalar response, derived ones worked out from its own outputs; nothing if a
/// part of it is missing.
std::optional<double> computed_value(const Study& study, const Run& run, const Response& response);

/// Hashes that tell whether a fitted surrogate still matches its runs and its study.
std::uint64_t data_hash(const RunData& data);
std::uint64_t study_hash(const Study& study, const Response& response);

/// Uses of the batches that a surrogate was fitted to, and the expression of its weights.
std::vector<std::string> uses_fitted(bool take_confirm);
std::vector<std::string> uses_fitted(const StoredSurrogate& stored);
std::string weights_fitted(const StoredSurrogate& stored);
/// Names of the parameters that a surrogate leaves out.
std::vector<std::string> left_out_of(const StoredSurrogate& stored);

/// The current surrogate of a response; a note if it no longer matches its runs. Nothing, and a note, if it
/// is one of other parameters; nothing if none was fitted.
std::shared_ptr<const StoredSurrogate> current_surrogate(Session& session, const Response& response,
                                                         Notes& notes);

/// The same, but one that is missing is an error. \throws Error  with what to do.
std::shared_ptr<const StoredSurrogate> need_surrogate(Session& session, const Response& response,
                                                      Notes& notes);

/// The responses named, or all that are not derived if none are named. \throws Error  unknown name.
std::vector<Response> chosen_responses(const Study& study, const std::vector<std::string>& names,
                                       bool with_derived);

/// The next free name of the form use-1, use-2, …
std::string next_batch_name(Store& store, const std::string& use);

/// A seed for a batch: of the study's seed and the batch's name, at most 53 bits so that it survives JSON.
Seed batch_seed(const Study& study, const std::string& batch);

}  // namespace renth
