#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/fit/blocks.hpp>
#include <renth/fit/fit.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/quality/coverage.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/workflow/fit_asked.hpp>
#include <renth/workflow/kept_fit.hpp>
#include <renth/workflow/named_fits.hpp>
#include <renth/workflow/run_remarks.hpp>
#include <renth/workflow/trusting.hpp>

namespace renth {
namespace {

using nlohmann::json;

/// One row a run and axis point; errors are those of the cross-validated prediction.
std::vector<ResidualRow> residual_rows(const Study& study, const Response& response, const RunData& data,
                                       const Eigen::MatrixXd& fitted, const Eigen::MatrixXd& crossed) {
  std::vector<ResidualRow> out;
  const Axis* axis = study.axis_of(response);
  for (Eigen::Index k = 0; k < data.data.outputs.cols(); ++k) {
    double largest = 0;
    for (const double v : data.data.outputs.col(k))
      if (std::isfinite(v)) largest = std::max(largest, std::abs(v));
    for (Eigen::Index i = 0; i < data.data.size(); ++i) {
      const double y = data.data.outputs(i, k);
      if (!std::isfinite(y)) continue;
      out.push_back({data.ids[i], data.batches[i], axis ? axis->points[k] : NAN, y, fitted(i, k),
                     crossed(i, k), percent_error(std::abs(y - crossed(i, k)), y, largest)});
    }
  }
  return out;
}

/// The share of check runs inside the calibrated intervals.
double calibrated_share(const StoredSurrogate& stored, const Data& fitted, const Data& check, double level) {
  int inside = 0, count = 0;
  const FoldModels folds = fold_models(stored.cv, fitted.outputs);
  for (Eigen::Index k = 0; k < check.outputs.cols() && check.size() > 0; ++k) {
    const FoldModels::Bounds bounds = folds.calibrated(check.inputs, k, level);
    for (Eigen::Index i = 0; i < bounds.low.size(); ++i) {
      const double y = check.outputs(i, k);
      if (!std::isfinite(y)) continue;
      ++count;
      inside += y >= bounds.low[i] && y <= bounds.high[i];
    }
  }
  return count > 0 ? double(inside) / count : NAN;
}

LearningCurve learn(Session& session, const StoredSurrogate& stored, const RunData& data, const Quality& q,
                    double target) {
  const json made = json::parse(stored.options);
  const Fit fit = fit_as_stored(session.study.space, data.data, stored);
  LearningOptions options;
  options.target = target;
  options.reachable = q.reachable;
  // The same work whatever the number of runs, as far as that goes.
  options.repeats = std::clamp(int(1600 / std::max<Eigen::Index>(1, data.data.size())), 3, 16);
  return learning_curve(session.study.space, data.data, fit, q.q2, options,
                        made.value("seed", session.study.seed));
}

TrustResult::OfResponse trust_response(Session& session, const Response& response,
                                       const StoredSurrogate& stored, const TrustOptions& options) {
  const RunData data = need_fitted_data(session, response, stored);
  const Study& study = session.study;
  TrustResult::OfResponse r;
  r.model = judge_surrogate(session, response, stored, data, options.level);
  const auto mean = [&](const Data& at) {
    return predict_in_blocks(*stored.surrogate, at.inputs, {}, parallel_for).mean;
  };
  r.residuals =
      residual_rows(study, response, data,
                    with_block_effects(*stored.surrogate, study.space, data.data, data.data, mean(data.data)),
                    stored.cv.predicted);
  const RunData check = collect_data(session, response, {"check"});
  const Eigen::MatrixXd predicted = mean(check.data);
  r.check = residual_rows(study, response, check, predicted, predicted);
  r.coverage = left_out_coverage(data.data, stored.cv, options.level);
  r.calibrated_check = calibrated_share(stored, data.data, check.data, options.level);
  using Learning = TrustOptions::Learning;
  if (options.learning == Learning::always ||
      (options.learning == Learning::when_quick && data.data.size() <= 150)) {
    r.learning = learn(session, stored, data, r.model.quality, options.target);
    if (r.model.judgement.verdict != Verdict::good || r.learning->runs_needed)
      r.model.judgement.next.push_back("with more runs: " + r.learning->sentence + " (renth refine)");
  }
  std::stable_sort(r.residuals.begin(), r.residuals.end(), [](const ResidualRow& a, const ResidualRow& b) {
    return (std::isfinite(a.error_percent) ? a.error_percent : -1) >
           (std::isfinite(b.error_percent) ? b.error_percent : -1);
  });
  return r;
}

}  // namespace

TrustResult trust_responses(Session& session, const TrustOptions& options) {
  TrustResult out;
  out.level = options.level;
  std::vector<Response> responses = chosen_responses(session.study, options.responses, false);
  if (!options.against.empty()) {
    const std::size_t all = responses.size();
    responses = responses_of_fit(session, options.against, options.responses);
    if (responses.size() < all)
      add_note(out.notes, "not_compared",
               fmt::format("the other responses have no fit of the name {}", options.against));
  }
  for (const Response& response : responses) {
    const auto stored = need_surrogate(session, response, out.notes);
    out.responses.push_back(trust_response(session, response, *stored, options));
    TrustResult::OfResponse& one = out.responses.back();
    if (options.against.empty()) continue;
    add_statistics(session, *stored, options.level, one.model);
    one.against = compare_fits(session, response, *stored, one.model, options.against, options.level);
  }
  note_runs(session, out.notes);
  return out;
}

}  // namespace renth
