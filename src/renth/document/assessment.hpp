// What the documents of plan and assess say of one plan.
#pragma once
#include <renth/document/figures.hpp>
#include <renth/plan/assess.hpp>
#include <string>
#include <utility>
#include <vector>

namespace renth {

/// The keys of `assess`, with the plan's name under `batch`; in print those that two plans are compared by.
Figures assessment_figures(const Problem& study, const std::string& name, const Assessment& assessment);
/// How even the runs are, the keys of `space`.
Figures evenness_figures(const Evenness& evenness);
/// What is known of each term; a row a term.
Rows term_rows(const Problem& study, const Assessment& assessment);
/// A row a figure, a column a plan.
std::string side_by_side(const Problem& study,
                         const std::vector<std::pair<std::string, const Assessment*>>& plans);
/// How good predictions will be, in words.
std::string plan_verdict(const Assessment& assessment);

}  // namespace renth
