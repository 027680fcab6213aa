// What is tried for one response, and which of it predicts best.
#pragma once
#include <Eigen/Core>
#include <cstddef>
#include <functional>
#include <memory>
#include <renth/base/undefined.hpp>
#include <renth/quality/cross_validation.hpp>
#include <renth/selection/candidates.hpp>
#include <renth/selection/choose.hpp>
#include <renth/surrogate/data.hpp>
#include <string>
#include <string_view>
#include <vector>

namespace renth {

/// A candidate with what came of it.
struct Entry {
  Candidate candidate;
  std::shared_ptr<const Surrogate> surrogate;
  CrossValidation cv;  // of the first repeat
  /// n, squared errors of all outputs together, mean of the repeats; NaN of a run that could not be left out.
  Eigen::VectorXd squared;
  double q2 = undefined, rmse = undefined;
  std::string problem;
  std::string note;       ///< why it was not tried on all runs; empty: it was
  bool compared = false;  // enough runs could be left out to hold it against others
  bool usable() const { return surrogate && problem.empty(); }
  std::string name() const {
    return candidate.method.kind +
           (candidate.method.settings.empty() ? "" : " (" + candidate.method.settings + ")");
  }
};

/// All that is tried for one response, and the choice.
class Contest {
 public:
  static constexpr std::size_t none = std::size_t(-1);  ///< no entry

  /// \param terms  of the polynomial asked for, as left_out_together() takes them.
  Contest(const Space& space, const Data& data, Seed seed, const ChoosingOptions& options,
          const Terms& terms = {});

  /// Fits candidates on all runs, side by side, and cross-validates each.
  void enter(std::vector<Candidate> candidates);

  void expect(int more) { total_ = int(entries_.size()) + more; }

  /// The best by the rows of `rows` of those entries that can be held against others and that `allowed` lets
  /// in.
  std::size_t best(const std::vector<char>& rows, const std::function<bool(const Entry&)>& allowed) const;

  /// The simplest that is about as good as the best. Kriging, which seldom errs much, is left for what is
  /// less simple only on evidence. If none can be held against others, the first that could be fitted.
  std::size_t choice(const std::vector<char>& rows, std::size_t* smallest = nullptr) const;

  std::size_t simplest_usable() const;

  std::size_t best_of(std::string_view kind, const std::vector<char>& rows) const;

  std::vector<char> all_rows() const { return std::vector<char>(std::size_t(data_.size()), 1); }
  std::vector<char> rows_without(int fold) const;

  /// The blend of the best of each kind, chosen and weighted for each fold without it.
  void enter_blend();

  const std::vector<Entry>& entries() const { return entries_; }
  const Folds& folds() const { return folds_[0]; }

 private:
  /// Squared errors of one less those of another on the same runs.
  struct Difference {
    double mean = 0, standard_error = 0;
    int runs = 0;
  };
  Difference difference(const Eigen::VectorXd& one, const Eigen::VectorXd& other,
                        const std::vector<char>& rows) const;

  /// Whether the mean squared error of one is larger than that of another by no more than so many standard
  /// errors.
  bool about_as_good(std::size_t one, std::size_t other, const std::vector<char>& rows,
                     double errors = 1) const;

  /// What of the mean squared error of a run no model can predict, by the best kriging's own word; 0 without
  /// one.
  double noise() const;
  mutable std::pair<std::size_t, double> noise_ = {none, 0};  // the entry that it is of, and it

  double mean_error(const Eigen::VectorXd& squared, const std::vector<char>& rows) const;

  std::vector<std::size_t> best_of_kinds(const std::vector<char>& rows) const;

  Eigen::VectorXd weights_of(const std::vector<std::size_t>& members, const std::vector<char>& rows) const;

  /// \param of  which surrogate of an entry.
  std::shared_ptr<const Surrogate> blend_of(
      const std::vector<std::size_t>& members, const Eigen::VectorXd& w,
      const std::function<std::shared_ptr<const Surrogate>(const Entry&)>& of) const;

  void cross_validate_entry(Entry& e);

  /// After the first `look` folds: is a candidate so far behind the best so far that it can gain nothing,
  /// alone or in a blend? Then its figures are of those folds.
  bool leave_behind(Entry& e, const CrossValidation& cv, int look) const;

  /// Its Q² and RMSE on the runs that it has errors of.
  void take_figures(Entry& e) const;

  /// The figures of an entry; whether it can be held against others.
  void finish(Entry& e);

  const Space& space_;
  const Data& data_;
  Seed seed_;
  const ChoosingOptions& options_;
  std::vector<Folds> folds_;
  std::vector<Entry> entries_;
  Eigen::VectorXd variation_;  // n, Σ (y − ȳ)² over the outputs of a run, ȳ that of its block
  Eigen::VectorXd values_;     // n, how many there are
  std::vector<char> common_;   // n, whether all that are compared have predicted the run unseen
  int total_ = 0;
};

}  // namespace renth
