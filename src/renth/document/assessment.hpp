// What the documents of plan and assess say of one plan.
#pragma once
#include <renth/document/json.hpp>
#include <renth/plan/assess.hpp>
#include <string>
#include <utility>
#include <vector>

namespace renth {

/// The keys of `assess`, with the plan's name under `batch`.
Json assessment_document(const Study& study, const std::string& name, const Assessment& assessment);
/// How even the runs are, the keys of `space`.
Json evenness_document(const Evenness& evenness);
/// A row a figure, a column a plan.
std::string side_by_side(const std::vector<std::pair<std::string, const Assessment*>>& plans);
/// How good predictions will be, in words.
std::string plan_verdict(const Assessment& assessment);

}  // namespace renth
