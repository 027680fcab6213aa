// What the documents of fit and trust say of one surrogate.
#pragma once
#include <renth/document/figures.hpp>
#include <renth/quality/quality.hpp>
#include <renth/workflow/judging.hpp>
#include <string>

namespace renth {

/// quality: the figures of one surrogate.
Figures quality_figures(const Quality& quality, const Axis* axis);

/// What is known besides of the intervals on runs that were left out, as shares; NaN: unknown.
struct QualityOnRuns {
  double left_out_inside, calibrated_inside;
};
/// On fitted, left-out and check runs.
Rows quality_rows(const Quality& quality, const QualityOnRuns& more);
std::string quality_table(const Quality& quality, const QualityOnRuns& more);
/// At each point of an axis.
std::string along_table(const Quality& quality, const Axis& axis);
/// The kind of a surrogate with its settings: kriging (matern52, nugget).
std::string kind_and_detail(const ModelResult& model);
/// The sentence that comes first: verdict, kind, runs, typical error.
std::string verdict_sentence(const Study& study, const ModelResult& model);

}  // namespace renth
