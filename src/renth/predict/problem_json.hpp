// A Problem as JSON and back, for the file of a model.
#pragma once
#include <nlohmann/json.hpp>
#include <renth/problem/problem.hpp>

namespace renth {

nlohmann::ordered_json problem_to_json(const Problem& problem);
/// \throws Error  what Space, Expression and check_problem() refuse; nlohmann::json::exception  another
/// shape.
Problem problem_from_json(const nlohmann::ordered_json& json);

}  // namespace renth
