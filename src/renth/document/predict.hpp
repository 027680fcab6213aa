// Predictions, as JSON and as tables.
#pragma once
#include <renth/document/figures.hpp>
#include <renth/workflow/predicting.hpp>
#include <string>

namespace renth {

Json to_document(const Problem& problem, const PredictResult& result);
std::string to_table(const Problem& problem, const PredictResult& result);

/// One element of `predictions`.
Json prediction_document(const Problem& problem, const Predictions& predictions, Eigen::Index row,
                         double level);
/// The lines of one point in print.
std::string prediction_table(const Problem& problem, const Predictions& predictions, Eigen::Index row,
                             double level);

/// Predictions as CSV, a line a point: the settings, then of each response mean, sd, bounds; at the end
/// `inside`.
std::string prediction_csv_header(const Problem& problem, const Predictions& predictions);
std::string prediction_csv(const Problem& problem, const Predictions& predictions);

}  // namespace renth
