// What the document and the printed table of a search are both made of.
#pragma once
#include <renth/document/figures.hpp>
#include <renth/workflow/seeking.hpp>
#include <string>
#include <vector>

namespace renth {

/// What a response becomes in one proposal; of a curve at one axis point.
Figures figures_of_response(const Study& study, const SeekOutcome& r, std::size_t proposal,
                            const ResponsePrediction& one, Eigen::Index output);
/// The names of parameters.
std::vector<std::string> names_of(const Study& study, const std::vector<Eigen::Index>& parameters);
/// A proposal by itself: its place, how good it is, where it is.
Figures figures_of_proposal(const Study& study, const SeekOutcome& r, std::size_t proposal);
/// Means and deviations of the scalar responses in one row.
Figures predicted_row(const Study& study, const Predictions& predicted, Eigen::Index row);
Rows front_rows(const Study& study, const SeekOutcome& r);
Rows single_rows(const Study& study, const SeekOutcome& r);

}  // namespace renth
