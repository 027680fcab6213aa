#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/workflow/run_remarks.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

void note_failed(Session& session, Notes& notes) {
  int done = 0, failed = 0;
  for (const RunHead& r : session.store.heads()) {
    done += r.status == RunStatus::done;
    failed += r.status == RunStatus::failed;
  }
  if (failed > 0)
    add_note(
        notes, "runs_failed",
        fmt::format("{} of {} runs failed; surrogates know nothing of where runs fail: renth runs --failures",
                    failed, done + failed));
}

void note_aside(const RunTable& runs, Notes& notes) {
  const auto aside = std::count(runs.set_aside.begin(), runs.set_aside.end(), char(1));
  if (aside > 0)
    add_note(notes, "set_aside",
             fmt::format("{} of {} runs {} set aside by hand: say so wherever this is told (renth restore "
                         "takes them back)",
                         aside, runs.size(), aside == 1 ? "is" : "are"));
}

/// The rows that count, and their points; none where some cannot be made.
std::vector<Index> rows_that_count(const RunTable& runs, Eigen::MatrixXd& points) {
  std::vector<Index> rows;
  for (Index i = 0; i < runs.size(); ++i)
    if (!runs.set_aside[std::size_t(i)] && runs.use(i) == "fit") rows.push_back(i);
  try {
    points = runs.points(rows);
  } catch (const Error&) {  // said by who fits them
    rows.clear();
  }
  return rows;
}

void note_never_moved(const Study& study, const Eigen::MatrixXd& points, Notes& notes) {
  std::vector<std::string> still;
  for (Index j = 0; j < study.space.size() && points.rows() > 1; ++j)
    if (points.col(j).minCoeff() == points.col(j).maxCoeff()) still.push_back(study.space[j].name);
  if (!still.empty())
    add_note(notes, "never_moved",
             fmt::format("{} {} the same in all runs: nothing can be said of what {} does; vary or fix it",
                         listed(still), still.size() == 1 ? "is" : "are", still.size() == 1 ? "it" : "they"));
}

void note_not_repeatable(const Study& study, const RunTable& runs, const std::vector<Index>& rows,
                         const Eigen::MatrixXd& points, Notes& notes) {
  if (study.noisy) return;
  std::map<std::vector<double>, Index> first;
  for (std::size_t i = 0; i < rows.size(); ++i) {
    std::vector<double> point(std::size_t(points.cols()));
    for (Index j = 0; j < points.cols(); ++j) point[std::size_t(j)] = points(Index(i), j);
    const auto [found, fresh] = first.emplace(std::move(point), rows[i]);
    if (fresh) continue;
    for (std::size_t k = 0; k < study.responses.size(); ++k) {
      const Response& r = study.responses[k];
      if (r.derive || r.is_curve()) continue;
      const double a = runs.column(int(k)).values(found->second, 0),
                   b = runs.column(int(k)).values(rows[i], 0);
      // What rounding makes is no scatter.
      if (!(std::abs(a - b) > 1e-9 * std::max(std::abs(a), std::abs(b)))) continue;
      add_note(
          notes, "not_repeatable",
          fmt::format(
              "runs {} and {} have the same setting and different {}, though the study says that a run gives "
              "the same again: write repeatable = false under [solver]",
              runs.ids[std::size_t(found->second)], runs.ids[std::size_t(rows[i])], r.name));
      return;
    }
  }
}

}  // namespace

void note_runs(Session& session, Notes& notes) {
  const RunTable& runs = session.runs();
  note_failed(session, notes);
  note_aside(runs, notes);
  Eigen::MatrixXd points;
  const std::vector<Index> rows = rows_that_count(runs, points);
  if (rows.empty()) return;
  note_never_moved(session.study, points, notes);
  note_not_repeatable(session.study, runs, rows, points, notes);
}

}  // namespace renth
