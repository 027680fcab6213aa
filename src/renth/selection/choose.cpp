#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>
#include <renth/base/error.hpp>
#include <renth/base/undefined.hpp>
#include <renth/fit/convex_weights.hpp>
#include <renth/fit/fit.hpp>
#include <renth/fit/methods.hpp>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/fit/regression.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/quality/coverage.hpp>
#include <renth/selection/candidates.hpp>
#include <renth/selection/idle.hpp>
#include <renth/surrogate/along.hpp>
#include <renth/surrogate/blend.hpp>
#include <renth/surrogate/components.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kriging.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <renth/surrogate/reduced.hpp>
#include <renth/surrogate/rescaled.hpp>
#include <renth/terms/confounding.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;
constexpr std::size_t none = std::size_t(-1);

/// A candidate with what came of it.
struct Entry {
  Candidate candidate;
  std::shared_ptr<const Surrogate> surrogate;
  CrossValidation cv;       // of the first repeat
  Eigen::VectorXd squared;  // n, squared errors of all outputs together, mean of the repeats
  double q2 = undefined, rmse = undefined;
  std::string problem;
  bool usable() const { return surrogate && problem.empty(); }
  std::string name() const {
    return candidate.method.kind +
           (candidate.method.settings.empty() ? "" : " (" + candidate.method.settings + ")");
  }
};

/// Squared errors a run, summed over outputs that it has.
Eigen::VectorXd squared_errors(const Data& data, const Eigen::MatrixXd& predicted) {
  Eigen::VectorXd out = Eigen::VectorXd::Zero(data.size());
  for (Index k = 0; k < data.outputs.cols(); ++k)
    for (Index i = 0; i < data.size(); ++i)
      if (std::isfinite(data.outputs(i, k))) out[i] += std::pow(data.outputs(i, k) - predicted(i, k), 2);
  return out;
}

/// All that is tried for one response, and the choice.
class Contest {
 public:
  Contest(const Space& space, const Data& data, Seed seed, const ChoosingOptions& options)
      : space_(space), data_(data), seed_(seed), options_(options) {
    const int repeats = options.repeats > 0 ? options.repeats : suggested_repeats(data);
    for (int r = 0; r < repeats; ++r) folds_.push_back(make_folds(data, seed, r));
    if (folds_[0].count < 2)
      throw Error("cross-validation needs runs at two or more different points", "cross-validation",
                  "add runs");
    for (Index k = 0; k < data.outputs.cols(); ++k) {
      const Eigen::VectorXd y = data.with_output(k).outputs.col(0);
      total_variation_ += (y.array() - y.mean()).square().sum();
      values_ += y.size();
    }
  }

  /// Fits candidates on all runs, side by side, and cross-validates each.
  void enter(std::vector<Candidate> candidates) {
    const std::size_t first = entries_.size();
    for (Candidate& c : candidates) {
      if (options_.most_candidates > 0 && int(entries_.size()) >= options_.most_candidates) break;
      entries_.push_back({std::move(c)});
    }
    total_ = std::max(total_, int(entries_.size()));
    parallel_for(std::int64_t(entries_.size() - first), [&](std::int64_t k) {
      Entry& e = entries_[first + std::size_t(k)];
      try {
        e.surrogate = e.candidate.method.fit(space_, data_, seed_);
      } catch (const Error& error) {
        if (error.kind() != ErrorKind::request) throw;
        e.problem = error.what();
        e.candidate.method.again = nullptr;
      }
    });
    for (std::size_t k = first; k < entries_.size(); ++k) cross_validate_entry(entries_[k]);
  }

  void expect(int more) { total_ = int(entries_.size()) + more; }

  /// The best usable entry by the rows of `rows`, of those that `allowed` lets in.
  template <class Allowed>
  std::size_t best(const std::vector<char>& rows, const Allowed& allowed) const {
    std::size_t out = none;
    double least = std::numeric_limits<double>::infinity();
    for (std::size_t k = 0; k < entries_.size(); ++k) {
      if (!entries_[k].usable() || !allowed(entries_[k])) continue;
      const double error = mean_error(k, rows);
      if (error < least) {
        least = error;
        out = k;
      }
    }
    return out;
  }

  /// The simplest that is about as good as the best. Kriging, which seldom errs much, is left for what is
  /// less simple only on evidence.
  std::size_t choice(const std::vector<char>& rows, std::size_t* smallest = nullptr) const {
    const std::size_t top = best(rows, [](const Entry&) { return true; });
    if (smallest) *smallest = top;
    if (top == none) return none;
    const std::size_t kriging = best_of("kriging", rows);
    const bool stay = kriging != none &&
                      entries_[kriging].candidate.complexity < entries_[top].candidate.complexity &&
                      about_as_good(kriging, top, rows);
    const std::size_t from = stay ? kriging : top;
    std::size_t out = from;
    for (std::size_t k = 0; k < entries_.size(); ++k) {
      const Entry& e = entries_[k];
      if (!e.usable() || e.candidate.complexity >= entries_[out].candidate.complexity) continue;
      if (about_as_good(k, from, rows) && mean_error(k, rows) <= 1.05 * 1.05 * mean_error(from, rows))
        out = k;
    }
    return out;
  }

  std::size_t best_of(std::string_view kind, const std::vector<char>& rows) const {
    return best(rows, [&](const Entry& e) { return e.candidate.method.kind == kind; });
  }

  std::vector<char> all_rows() const { return std::vector<char>(std::size_t(data_.size()), 1); }
  std::vector<char> rows_without(int fold) const {
    std::vector<char> out = all_rows();
    for (Index i = 0; i < data_.size(); ++i)
      if (folds_[0].of_run[std::size_t(i)] == fold) out[std::size_t(i)] = 0;
    return out;
  }

  /// The blend of the best of each kind, chosen and weighted for each fold without it.
  void enter_blend() {
    if (options_.most_candidates > 0 && int(entries_.size()) >= options_.most_candidates) return;
    std::vector<std::size_t> members = best_of_kinds(all_rows());
    if (members.size() < 2) return;
    options_.progress(int(entries_.size()), std::max(total_, int(entries_.size()) + 1), "blend");
    Entry e;
    e.candidate.method.kind = "blend";
    e.candidate.complexity = complexity_of("blend");
    e.cv.folds = folds_[0];
    e.cv.predicted = Eigen::MatrixXd(data_.size(), data_.outputs.cols());
    for (int f = 0; f < folds_[0].count; ++f) {
      const std::vector<char> rows = rows_without(f);
      const std::vector<std::size_t> then = best_of_kinds(rows);
      const Eigen::VectorXd w = weights_of(then, rows);
      const auto model = blend_of(then, w, [&](const Entry& m) { return m.cv.models[std::size_t(f)]; });
      for (Index i = 0; i < data_.size(); ++i) {
        if (rows[std::size_t(i)]) continue;
        e.cv.predicted.row(i).setZero();
        for (std::size_t k = 0; k < then.size(); ++k)
          if (w[Index(k)] > 0) e.cv.predicted.row(i) += w[Index(k)] * entries_[then[k]].cv.predicted.row(i);
      }
      e.cv.models.push_back(model);
    }
    const Eigen::VectorXd w = weights_of(members, all_rows());
    e.surrogate = blend_of(members, w, [](const Entry& m) { return m.surrogate; });
    for (std::size_t k = 0; k < members.size(); ++k)
      if (w[Index(k)] > 0)
        e.candidate.method.settings +=
            fmt::format("{}{:.2f} {}", e.candidate.method.settings.empty() ? "" : ", ", w[Index(k)],
                        entries_[members[k]].candidate.method.kind);
    e.squared = squared_errors(data_, e.cv.predicted);
    finish(e);
    entries_.push_back(std::move(e));
  }

  const std::vector<Entry>& entries() const { return entries_; }
  const Folds& folds() const { return folds_[0]; }

 private:
  /// Whether the mean squared error of one is larger than that of another by no more than a standard error.
  bool about_as_good(std::size_t one, std::size_t other, const std::vector<char>& rows) const {
    double sum = 0, square = 0;
    int count = 0;
    for (Index i = 0; i < data_.size(); ++i) {
      if (!rows[std::size_t(i)]) continue;
      const double d = entries_[one].squared[i] - entries_[other].squared[i];
      sum += d;
      square += d * d;
      ++count;
    }
    const double mean = sum / count;
    return mean <= std::sqrt(std::max(0.0, square / count - mean * mean) / count);
  }

  double mean_error(std::size_t k, const std::vector<char>& rows) const {
    double sum = 0;
    int count = 0;
    for (Index i = 0; i < data_.size(); ++i)
      if (rows[std::size_t(i)]) sum += entries_[k].squared[i], ++count;
    return sum / std::max(1, count);
  }

  std::vector<std::size_t> best_of_kinds(const std::vector<char>& rows) const {
    std::vector<std::size_t> out;
    for (const SurrogateKind& kind : surrogate_kinds()) {
      const std::size_t k = best_of(kind.name, rows);
      if (k != none) out.push_back(k);
    }
    return out;
  }

  Eigen::VectorXd weights_of(const std::vector<std::size_t>& members, const std::vector<char>& rows) const {
    std::vector<double> errors;
    const auto columns = Index(members.size());
    for (Index k = 0; k < data_.outputs.cols(); ++k)
      for (Index i = 0; i < data_.size(); ++i)
        if (rows[std::size_t(i)] && std::isfinite(data_.outputs(i, k)))
          for (const std::size_t m : members)
            errors.push_back(data_.outputs(i, k) - entries_[m].cv.predicted(i, k));
    return convex_weights(
        Eigen::Map<const Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>>(
            errors.data(), Index(errors.size()) / columns, columns));
  }

  template <class Of>
  std::shared_ptr<const Surrogate> blend_of(const std::vector<std::size_t>& members, const Eigen::VectorXd& w,
                                            const Of& of) const {
    Blend::Members in;
    std::vector<double> weights;
    for (std::size_t k = 0; k < members.size(); ++k)
      if (w[Index(k)] > 0) {
        in.push_back(of(entries_[members[k]]));
        weights.push_back(w[Index(k)]);
      }
    return std::make_shared<Blend>(in,
                                   Eigen::Map<const Eigen::VectorXd>(weights.data(), Index(weights.size())));
  }

  void cross_validate_entry(Entry& e) {
    options_.progress(int(&e - entries_.data()), total_, e.name());
    if (!e.usable()) return;
    try {
      const Fit again = e.candidate.method.again(*e.surrogate);
      for (std::size_t r = 0; r < folds_.size(); ++r) {
        CrossValidation cv = cross_validate(space_, data_, folds_[r], again, seed_);
        const Eigen::VectorXd squared = squared_errors(data_, cv.predicted) / double(folds_.size());
        if (r == 0) {
          e.squared = squared;
          e.cv = std::move(cv);
        } else {
          e.squared += squared;
        }
      }
      finish(e);
      if (!e.squared.allFinite()) e.problem = "predictions are not finite";
    } catch (const Error& error) {
      if (error.kind() != ErrorKind::request) throw;
      e.problem = error.what();
    }
  }

  void finish(Entry& e) const {
    e.q2 = total_variation_ > 0 ? 1 - e.squared.sum() / total_variation_ : undefined;
    e.rmse = std::sqrt(e.squared.sum() / double(values_));
  }

  const Space& space_;
  const Data& data_;
  Seed seed_;
  const ChoosingOptions& options_;
  std::vector<Folds> folds_;
  std::vector<Entry> entries_;
  double total_variation_ = 0;  // Σ (y − ȳ)² over all outputs
  Index values_ = 0;            // how many there are
  int total_ = 0;
};

/// The kriging whose lengths tell which parameters matter, if one was fitted.
const Kriging* lengths_of(const std::vector<Entry>& entries) {
  for (const Entry& e : entries) {
    if (!e.usable()) continue;
    const Surrogate* s = e.surrogate.get();
    if (const auto* kriging = dynamic_cast<const Kriging*>(s)) return kriging;
  }
  return nullptr;
}

/// Those that can gain most from it once more on the parameters that matter, if some do not: the best
/// kriging, and the kinds that treat all parameters alike.
std::vector<Candidate> without_idle(const Space& space, const Data& data, const std::vector<Entry>& entries) {
  std::vector<Candidate> out;
  const Kriging* lengths = lengths_of(entries);
  if (!lengths || data.outputs.cols() > 1) return out;
  if (Index(active_parameters(space, data, *lengths).size()) == space.size()) return out;
  const Entry* best = nullptr;
  for (const Entry& e : entries) {
    if (!e.usable()) continue;
    const std::string& kind = e.candidate.method.kind;
    if (kind == "rbf" || kind == "moving") out.push_back(on_fewer_parameters(e.candidate, *lengths));
    if (kind == "kriging" && (!best || e.squared.sum() < best->squared.sum())) best = &e;
  }
  if (best) out.insert(out.begin(), on_fewer_parameters(best->candidate, *lengths));
  return out;
}

std::vector<Index> left_out(const Space& space, const Surrogate& surrogate) {
  std::vector<Index> out;
  if (const auto* reduced = dynamic_cast<const Reduced*>(&surrogate))
    for (Index j = 0; j < space.size(); ++j)
      if (std::find(reduced->kept().begin(), reduced->kept().end(), j) == reduced->kept().end())
        out.push_back(j);
  return out;
}

/// Every fold by what would have been chosen without it.
void take_folds(Contest& contest, const Data& data,
                const std::function<std::size_t(const std::vector<char>&, std::size_t*)>& choose,
                std::size_t chosen, CrossValidation& cv) {
  for (int f = 0; f < contest.folds().count; ++f) {
    const std::vector<char> rows = contest.rows_without(f);
    const std::size_t then = choose(rows, nullptr);
    if (then == none || then == chosen) continue;
    const Entry& other = contest.entries()[then];
    cv.models[std::size_t(f)] = other.cv.models[std::size_t(f)];
    for (Index i = 0; i < data.size(); ++i)
      if (!rows[std::size_t(i)]) cv.predicted.row(i) = other.cv.predicted.row(i);
  }
}

/// Polynomials have a theory of their own errors; the others are held against what was found.
void rescale(const Data& data, FittedResponse& out) {
  if (out.surrogate->kind() == "polynomial") return;
  const double factor = deviation_factor(data, out.cv);
  out.surrogate = std::make_shared<Rescaled>(out.surrogate, factor);
  for (auto& model : out.cv.models)
    if (model->kind() != "polynomial") model = std::make_shared<Rescaled>(model, factor);
}

std::string reason(Contest& contest, std::size_t chosen, std::size_t smallest) {
  const Entry& winner = contest.entries()[chosen];
  if (chosen == smallest)
    return fmt::format("{} predicts runs that it has not seen best of {} candidates (Q² {:.4f})",
                       winner.name(), contest.entries().size(), winner.q2);
  return fmt::format(
      "{} is the simplest of {} candidates within one standard error of the best, {} (Q² {:.4f} and "
      "{:.4f})",
      winner.name(), contest.entries().size(), contest.entries()[smallest].name(), winner.q2,
      contest.entries()[smallest].q2);
}

}  // namespace

int suggested_repeats(const Data& data) {
  if (make_folds(data, 0).count > 10 || data.size() > 1000) return 1;
  return data.size() <= 400 ? 3 : 2;
}

FittedResponse fit_response(const Space& space, const Data& data, std::string_view kind,
                            const FitRequest& request, Seed seed, const TermChoice& choice,
                            const ChoosingOptions& options) {
  check_data(space, data);
  if (!kind.empty() && kind != "blend") surrogate_kind(kind);
  Contest contest(space, data, seed, options);
  FittedResponse out;
  std::vector<Candidate> first;
  if (choice.any())
    first.push_back(chosen_polynomial(space, data, request, choice, out.selections));
  else
    first = candidates_of(space, data, kind, request);
  const bool single = first.size() == 1;
  const bool all = kind.empty() || kind == "blend";
  contest.expect(int(first.size()) + (all ? 1 : 0));
  contest.enter(std::move(first));
  if (options.drop_parameters && (all || kind == "kriging" || kind == "rbf" || kind == "moving"))
    contest.enter(without_idle(space, data, contest.entries()));
  if (data.outputs.cols() > 1) {
    const std::size_t top = contest.best(
        contest.all_rows(), [](const Entry& e) { return e.candidate.method.kind != "polynomial"; });
    if (top != none) contest.enter({point_by_point(space, data, contest.entries()[top].candidate, request)});
  }
  if (all) contest.enter_blend();

  std::string problems;
  std::size_t smallest = none;
  for (const Entry& e : contest.entries()) {
    out.tried.push_back({e.candidate.method.kind, e.q2, e.rmse, e.problem, e.candidate.method.settings});
    if (!e.problem.empty())
      problems += fmt::format("{}{}: {}", problems.empty() ? "" : "; ", e.name(), e.problem);
  }
  const bool blend_only = kind == "blend";
  const auto choose = [&](const std::vector<char>& rows, std::size_t* top) {
    if (!blend_only) return contest.choice(rows, top);
    const std::size_t k = contest.best_of("blend", rows);
    if (top) *top = k;
    return k;
  };
  const std::size_t chosen = choose(contest.all_rows(), &smallest);
  if (chosen == none) {
    if (single) {
      // Said as the fit itself says it.
      contest.entries()[0].candidate.method.fit(space, data, seed);
    }
    throw Error("no kind of surrogate can be fitted: " + problems, "fit",
                "add runs, or look at those there are");
  }
  const Entry& winner = contest.entries()[chosen];
  out.surrogate = winner.surrogate;
  out.idle = left_out(space, *winner.surrogate);
  out.settings = winner.candidate.method.settings;
  out.cv = winner.cv;
  take_folds(contest, data, choose, chosen, out.cv);
  rescale(data, out);
  out.why = single ? "the kind that was asked for" : reason(contest, chosen, smallest);
  return out;
}

Fit fit_as_chosen(const Space& space, const Data& data, const std::vector<Tried>& tried,
                  const std::string& settings, const FitRequest& request, const Surrogate& whole) {
  if (const auto* polynomial = dynamic_cast<const Polynomial*>(&whole))
    return polynomial_fit({polynomial->state().terms, Confounded::leave_out, polynomial->state().transform});
  std::vector<Candidate> known = candidates_of(space, data, "", request);
  const std::size_t plain = known.size();
  for (std::size_t k = 0; k < plain && data.outputs.cols() > 1; ++k)
    known.push_back(point_by_point(space, data, known[k], request));
  const auto find = [&](std::string_view kind, const std::string& with) -> const Candidate* {
    for (const Candidate& c : known)
      if (c.method.kind == kind && c.method.settings == with) return &c;
    return nullptr;
  };
  if (const Candidate* c = find(whole.kind(), settings)) return c->method.fit;
  const Candidate* best = nullptr;
  double q2 = -std::numeric_limits<double>::infinity();
  for (const Tried& t : tried)
    if (const Candidate* c = find(t.kind, t.settings); c && t.q2 > q2) {
      best = c;
      q2 = t.q2;
    }
  return (best ? *best : known.front()).method.fit;
}

}  // namespace renth
