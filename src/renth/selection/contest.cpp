#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/base/undefined.hpp>
#include <renth/fit/blocks.hpp>
#include <renth/fit/convex_weights.hpp>
#include <renth/fit/fit.hpp>
#include <renth/fit/methods.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/selection/contest.hpp>
#include <renth/surrogate/blend.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// Squared errors a run, summed over outputs that it has.
Eigen::VectorXd squared_errors(const Data& data, const Eigen::MatrixXd& predicted) {
  Eigen::VectorXd out = Eigen::VectorXd::Zero(data.size());
  for (Index k = 0; k < data.outputs.cols(); ++k)
    for (Index i = 0; i < data.size(); ++i)
      if (std::isfinite(data.outputs(i, k))) out[i] += std::pow(data.outputs(i, k) - predicted(i, k), 2);
  return out;
}

/// Folds after which a candidate is held against the best so far: a fifth, of single runs eight at least.
int first_look(int folds) {
  return folds > 10 ? std::min(folds, std::max(8, folds / 5)) : 2;
}

}  // namespace

Contest::Contest(const Space& space, const Data& data, Seed seed, const ChoosingOptions& options,
                 const Terms& terms)
    : space_(space), data_(data), seed_(seed), options_(options) {
  const int repeats = options.repeats > 0 ? options.repeats : suggested_repeats(data);
  const std::vector<int> together = left_out_together(space, data, terms);
  for (int r = 0; r < repeats; ++r) folds_.push_back(make_folds(together, seed, r));
  if (folds_[0].count < 2)
    throw Error("cross-validation needs runs at two or more different points", "cross-validation",
                "add runs");
  variation_ = squared_errors(data, block_means(data));
  values_ = data.outputs.array().isFinite().cast<double>().rowwise().sum();
  common_ = all_rows();
}

void Contest::enter(std::vector<Candidate> candidates) {
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
    } catch (const Unneeded&) {
      e.candidate.method.fit = nullptr;
    } catch (const Error& error) {
      if (error.kind() != ErrorKind::request) throw;
      e.problem = error.what();
      e.candidate.method.again = nullptr;
    }
  });
  const int before = int(entries_.size());
  entries_.erase(std::remove_if(entries_.begin() + std::ptrdiff_t(first), entries_.end(),
                                [](const Entry& e) { return !e.candidate.method.fit; }),
                 entries_.end());
  total_ -= before - int(entries_.size());
  for (std::size_t k = first; k < entries_.size(); ++k) cross_validate_entry(entries_[k]);
}

double Contest::noise() const {
  const std::size_t k = best_of("kriging", all_rows());
  if (k == none) return 0;
  if (noise_.first == k) return noise_.second;
  constexpr Index most_asked = 64;
  std::vector<Index> some;
  const Index asked = std::min(most_asked, data_.size());
  for (Index i = 0; i < asked; ++i) some.push_back(i * data_.size() / asked);
  const Prediction p = entries_[k].surrogate->predict(data_.inputs(some, Eigen::all), {.variance = true});
  const double out = p.noise_variance.rowwise().sum().mean();
  noise_ = {k, std::isfinite(out) ? out : 0};
  return noise_.second;
}

/// Standard errors by which something less simple has to be better than kriging. Over 32 published functions
/// × 3 sizes two were better than one, with noise most of all: what seems better is luck more often than not.
constexpr double leaving_kriging = 2;

std::size_t Contest::choice(const std::vector<char>& rows, std::size_t* smallest) const {
  const std::size_t top = best(rows, [](const Entry&) { return true; });
  if (smallest) *smallest = top;
  if (top == none) return simplest_usable();
  const std::size_t kriging = best_of("kriging", rows);
  const bool stay = kriging != none &&
                    entries_[kriging].candidate.complexity < entries_[top].candidate.complexity &&
                    about_as_good(kriging, top, rows, leaving_kriging);
  const std::size_t from = stay ? kriging : top;
  // What is noise in the errors tells nothing of how much larger one is than another.
  const double floor = std::min(noise(), 0.9 * mean_error(entries_[from].squared, rows));
  std::size_t out = from;
  for (std::size_t k = 0; k < entries_.size(); ++k) {
    const Entry& e = entries_[k];
    if (!e.compared || e.candidate.complexity >= entries_[out].candidate.complexity) continue;
    if (about_as_good(k, from, rows) && mean_error(entries_[k].squared, rows) - floor <=
                                            1.05 * 1.05 * (mean_error(entries_[from].squared, rows) - floor))
      out = k;
  }
  return out;
}

std::size_t Contest::simplest_usable() const {
  for (std::size_t k = 0; k < entries_.size(); ++k)
    if (entries_[k].usable()) return k;
  return none;
}

std::size_t Contest::best_of(std::string_view kind, const std::vector<char>& rows) const {
  return best(rows, [&](const Entry& e) { return e.candidate.method.kind == kind; });
}

std::vector<char> Contest::rows_without(int fold) const {
  std::vector<char> out = all_rows();
  for (Index i = 0; i < data_.size(); ++i)
    if (folds_[0].of_run[std::size_t(i)] == fold) out[std::size_t(i)] = 0;
  return out;
}

void Contest::enter_blend() {
  if (options_.most_candidates > 0 && int(entries_.size()) >= options_.most_candidates) return;
  std::vector<std::size_t> members = best_of_kinds(all_rows());
  if (members.size() < 2) return;
  options_.progress(int(entries_.size()), std::max(total_, int(entries_.size()) + 1), "blend");
  Entry e;
  e.candidate.method.kind = "blend";
  e.candidate.complexity = complexity_of("blend");
  e.cv.folds = folds_[0];
  e.cv.predicted = Eigen::MatrixXd::Constant(data_.size(), data_.outputs.cols(), undefined);
  for (int f = 0; f < folds_[0].count; ++f) {
    const std::vector<char> rows = rows_without(f);
    std::vector<std::size_t> then = best_of_kinds(rows);
    then.erase(std::remove_if(then.begin(), then.end(),
                              [&](std::size_t k) { return !entries_[k].cv.models[std::size_t(f)]; }),
               then.end());
    if (then.empty()) {
      e.cv.models.push_back(nullptr);
      continue;
    }
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
  for (const std::size_t k : members)
    if (!entries_[k].cv.problem.empty()) e.cv.problem = entries_[k].cv.problem;
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

Contest::Difference Contest::difference(const Eigen::VectorXd& one, const Eigen::VectorXd& other,
                                        const std::vector<char>& rows) const {
  double sum = 0, square = 0;
  Difference out;
  for (Index i = 0; i < data_.size(); ++i) {
    if (!rows[std::size_t(i)] || !common_[std::size_t(i)]) continue;
    const double d = one[i] - other[i];
    sum += d;
    square += d * d;
    ++out.runs;
  }
  out.mean = sum / out.runs;
  out.standard_error = std::sqrt(std::max(0.0, square / out.runs - out.mean * out.mean) / out.runs);
  return out;
}

bool Contest::about_as_good(std::size_t one, std::size_t other, const std::vector<char>& rows,
                            double errors) const {
  const Difference d = difference(entries_[one].squared, entries_[other].squared, rows);
  return d.mean <= errors * d.standard_error;
}

double Contest::mean_error(const Eigen::VectorXd& squared, const std::vector<char>& rows) const {
  double sum = 0;
  int count = 0;
  for (Index i = 0; i < data_.size(); ++i)
    if (rows[std::size_t(i)] && common_[std::size_t(i)]) sum += squared[i], ++count;
  return sum / std::max(1, count);
}

std::vector<std::size_t> Contest::best_of_kinds(const std::vector<char>& rows) const {
  std::vector<std::size_t> out;
  for (const SurrogateKind& kind : surrogate_kinds()) {
    const std::size_t k = best_of(kind.name, rows);
    if (k != none) out.push_back(k);
  }
  return out;
}

Eigen::VectorXd Contest::weights_of(const std::vector<std::size_t>& members,
                                    const std::vector<char>& rows) const {
  std::vector<double> errors;
  const auto columns = Index(members.size());
  for (Index k = 0; k < data_.outputs.cols(); ++k)
    for (Index i = 0; i < data_.size(); ++i)
      if (rows[std::size_t(i)] && common_[std::size_t(i)] && std::isfinite(data_.outputs(i, k)))
        for (const std::size_t m : members)
          errors.push_back(data_.outputs(i, k) - entries_[m].cv.predicted(i, k));
  return convex_weights(
      Eigen::Map<const Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>>(
          errors.data(), Index(errors.size()) / columns, columns));
}

void Contest::cross_validate_entry(Entry& e) {
  options_.progress(int(&e - entries_.data()), total_, e.name());
  if (!e.usable()) return;
  try {
    const Fit again = e.candidate.method.again(*e.surrogate);
    for (std::size_t r = 0; r < folds_.size(); ++r) {
      CrossValidation cv = begin_cross_validation(data_, folds_[r]);
      const int look = r == 0 ? first_look(folds_[r].count) : 0;
      cross_validate_folds(space_, data_, again, seed_, 0, look, cv);
      if (look > 0 && leave_behind(e, cv, look)) return;
      cross_validate_folds(space_, data_, again, seed_, look, folds_[r].count, cv);
      const Eigen::VectorXd squared = squared_errors(data_, cv.predicted) / double(folds_.size());
      if (r == 0) {
        e.squared = squared;
        e.cv = std::move(cv);
      } else {
        e.squared += squared;
        if (e.cv.problem.empty()) e.cv.problem = cv.problem;
      }
    }
    finish(e);
  } catch (const Error& error) {
    if (error.kind() != ErrorKind::request) throw;
    e.problem = error.what();
  }
}

bool Contest::leave_behind(Entry& e, const CrossValidation& cv, int look) const {
  constexpr double far = 3;  // times the error of the best: worth less than a tenth of a blend
  constexpr double standard_errors = 3;
  constexpr int fewest = 8;
  std::vector<char> rows(std::size_t(data_.size()), 0);
  for (Index i = 0; i < data_.size(); ++i) rows[std::size_t(i)] = cv.folds.of_run[std::size_t(i)] < look;
  const std::size_t top = best(rows, [](const Entry&) { return true; });
  if (top == none) return false;
  const Eigen::VectorXd squared = squared_errors(data_, cv.predicted), &least = entries_[top].squared;
  // Not a number where a run cannot be left out, which is told elsewhere: then neither holds.
  if (!(mean_error(squared, rows) > far * far * mean_error(least, rows))) return false;
  const Difference d = difference(squared, least, rows);
  if (d.runs < fewest || !(d.mean > standard_errors * d.standard_error)) return false;
  e.squared = squared;
  take_figures(e);
  e.note = fmt::format("far behind after {} of {} runs, and not tried on the others", d.runs, data_.size());
  return true;
}

void Contest::take_figures(Entry& e) const {
  double error = 0, variation = 0, values = 0;
  for (Index i = 0; i < data_.size(); ++i)
    if (std::isfinite(e.squared[i])) {
      error += e.squared[i];
      variation += variation_[i];
      values += values_[i];
    }
  e.q2 = variation > 0 ? 1 - error / variation : undefined;
  e.rmse = values > 0 ? std::sqrt(error / values) : undefined;
}

void Contest::finish(Entry& e) {
  take_figures(e);
  std::vector<char> common = common_;
  for (Index i = 0; i < data_.size(); ++i) {
    if (std::isfinite(e.squared[i])) continue;
    common[std::size_t(i)] = 0;
    // A model that exists must answer.
    if (e.cv.models[std::size_t(e.cv.folds.of_run[std::size_t(i)])] && e.cv.problem.empty())
      e.problem = "predictions are not finite";
  }
  const auto left = std::count(common.begin(), common.end(), 1);
  e.compared = e.problem.empty() && 4 * left >= 3 * data_.size();
  if (e.compared) common_ = std::move(common);
}

std::size_t Contest::best(const std::vector<char>& rows,
                          const std::function<bool(const Entry&)>& allowed) const {
  std::size_t out = none;
  double least = std::numeric_limits<double>::infinity();
  for (std::size_t k = 0; k < entries_.size(); ++k) {
    if (!entries_[k].compared || !allowed(entries_[k])) continue;
    const double error = mean_error(entries_[k].squared, rows);
    if (error < least) {
      least = error;
      out = k;
    }
  }
  return out;
}

std::shared_ptr<const Surrogate> Contest::blend_of(
    const std::vector<std::size_t>& members, const Eigen::VectorXd& w,
    const std::function<std::shared_ptr<const Surrogate>(const Entry&)>& of) const {
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

}  // namespace renth
