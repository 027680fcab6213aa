#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <renth/base/error.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/space/region.hpp>
#include <renth/workflow/comparing_fits.hpp>

namespace renth {
namespace {

Eigen::MatrixXd means(const StoredSurrogate& stored, Points points) {
  return predict_in_blocks(*stored.surrogate, points, {}, parallel_for).mean;
}

/// Left-out errors of the runs that both were fitted to.
void compare_left_out(const RunData& current, const StoredSurrogate& now, const RunData& other,
                      const StoredSurrogate& then, FitComparison& out) {
  std::map<std::int64_t, Eigen::Index> row;
  for (std::size_t i = 0; i < other.ids.size(); ++i) row[other.ids[i]] = Eigen::Index(i);
  double sum_current = 0, sum_other = 0;
  int cells = 0;
  for (std::size_t i = 0; i < current.ids.size(); ++i) {
    const auto found = row.find(current.ids[i]);
    if (found == row.end()) continue;
    ++out.common;
    for (Eigen::Index k = 0; k < current.data.outputs.cols(); ++k) {
      const double a = current.data.outputs(Eigen::Index(i), k) - now.cv.predicted(Eigen::Index(i), k);
      const double b = other.data.outputs(found->second, k) - then.cv.predicted(found->second, k);
      if (!std::isfinite(a) || !std::isfinite(b)) continue;  // a run without which one cannot be fitted
      ++cells;
      sum_current += a * a;
      sum_other += b * b;
    }
  }
  out.rmse_cv_current = cells > 0 ? std::sqrt(sum_current / cells) : NAN;
  out.rmse_cv_other = cells > 0 ? std::sqrt(sum_other / cells) : NAN;
}

void compare_over_region(const Study& study, const Response& response, const StoredSurrogate& now,
                         const StoredSurrogate& then, FitComparison& out) {
  constexpr Eigen::Index points = 2000;
  const Eigen::MatrixXd at = region_points(study.space, points);
  const Eigen::MatrixXd difference = means(now, at) - means(then, at);
  out.rms_difference = std::sqrt(difference.squaredNorm() / double(difference.size()));
  Eigen::Index row = 0, column = 0;
  out.largest_difference = difference.cwiseAbs().maxCoeff(&row, &column);
  out.most_at = at.row(row);
  const Axis* axis = study.axis_of(response);
  out.most_along = axis ? axis->points[std::size_t(column)] : NAN;
}

/// Rows of the runs that are among these, or of those that are not.
std::vector<Eigen::Index> rows_of(const RunData& runs, const std::vector<std::int64_t>& sorted, bool among) {
  std::vector<Eigen::Index> out;
  for (std::size_t i = 0; i < runs.ids.size(); ++i)
    if (std::binary_search(sorted.begin(), sorted.end(), runs.ids[i]) == among)
      out.push_back(Eigen::Index(i));
  return out;
}

/// Those that only one was fitted to, and of the others the farthest apart.
void compare_on_runs(const Study& study, const Response& response, const RunData& current,
                     const StoredSurrogate& now, const RunData& other, const StoredSurrogate& then,
                     FitComparison& out) {
  constexpr std::size_t most = 5, most_alone = 10;
  const Axis* axis = study.axis_of(response);
  std::vector<FitComparison::Run> alone, shared;
  const auto add = [&](const RunData& runs, const std::vector<Eigen::Index>& rows,
                       std::vector<FitComparison::Run>& to) {
    const Eigen::MatrixXd points = runs.data.inputs(rows, Eigen::all);
    const Eigen::MatrixXd a = means(now, points), b = means(then, points);
    for (Eigen::Index i = 0; i < points.rows(); ++i)
      for (Eigen::Index k = 0; k < a.cols(); ++k) {
        const Eigen::Index row = rows[std::size_t(i)];
        to.push_back({runs.ids[std::size_t(row)], axis ? axis->points[std::size_t(k)] : NAN,
                      runs.data.outputs(row, k), a(i, k), b(i, k)});
      }
  };
  add(current, rows_of(current, out.only_current, true), alone);
  add(other, rows_of(other, out.only_other, true), alone);
  add(current, rows_of(current, out.only_current, false), shared);
  const auto farther = [](const FitComparison::Run& x, const FitComparison::Run& y) {
    return std::abs(x.current - x.other) > std::abs(y.current - y.other);
  };
  for (auto& [list, keep] : {std::pair(&alone, most_alone), std::pair(&shared, most)}) {
    std::stable_sort(list->begin(), list->end(), farther);
    if (list->size() > keep) list->resize(keep);
    out.runs.insert(out.runs.end(), list->begin(), list->end());
  }
}

void compare_terms(const Study& study, const Polynomial& now, const Polynomial& then, double level,
                   FitComparison& out) {
  if (now.state().transform.lambda != then.state().transform.lambda) return;
  const std::vector<Coefficient> other = then.coefficients(level);
  std::map<std::string, std::size_t> place;  // of those that the current one lacks, in the end
  for (std::size_t i = 0; i < other.size(); ++i) place[name(study.space, other[i].term)] = i;
  for (const Coefficient& c : now.coefficients(level)) {
    out.terms.push_back({name(study.space, c.term), c, std::nullopt});
    const auto found = place.find(out.terms.back().name);
    if (found == place.end()) continue;
    out.terms.back().other = other[found->second];
    place.erase(found);
  }
  for (const Coefficient& c : other)
    if (const std::string term = name(study.space, c.term); place.count(term) > 0)
      out.terms.push_back({term, std::nullopt, c});
}

std::vector<std::int64_t> only_in(std::vector<std::int64_t> these, std::vector<std::int64_t> those) {
  std::sort(these.begin(), these.end());
  std::sort(those.begin(), those.end());
  std::vector<std::int64_t> out;
  std::set_difference(these.begin(), these.end(), those.begin(), those.end(), std::back_inserter(out));
  return out;
}

}  // namespace

FitComparison compare_fits(Session& session, const Response& response, const StoredSurrogate& current,
                           const ModelResult& model, const std::string& name, double level) {
  const Study& study = session.study;
  const auto then = session.surrogate(response.name, name);
  if (then->study_hash != current.study_hash)
    throw Error(fmt::format("the study has changed since {} was fitted to {}", name, response.name),
                "--against " + name, "compare with a fit of today's study");
  const RunData data = need_fitted_data(session, response, current);
  const RunData other = need_fitted_data(session, response, *then);
  FitComparison out;
  out.name = name;
  out.other = judge_surrogate(session, response, *then, other, level);
  add_statistics(session, *then, level, out.other);
  out.only_current = only_in(data.ids, other.ids);
  out.only_other = only_in(other.ids, data.ids);
  compare_left_out(data, current, other, *then, out);
  compare_over_region(study, response, current, *then, out);
  compare_on_runs(study, response, data, current, other, *then, out);
  if (model.polynomial && out.other.polynomial)
    compare_terms(study, *model.polynomial, *out.other.polynomial, level, out);
  return out;
}

}  // namespace renth
