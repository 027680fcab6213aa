// JSON as the documents of the interface have it.
#pragma once
#include <Eigen/Core>
#include <nlohmann/json.hpp>
#include <renth/base/notes.hpp>
#include <renth/problem/problem.hpp>
#include <string>
#include <vector>

namespace renth {

/// Keys in the order in which they are written here.
using Json = nlohmann::ordered_json;

/// A number, or null where it is undefined.
Json json_number(double value);
Json json_numbers(const std::vector<double>& values);
/// Sentences; fields of the core as options.
Json json_texts(const std::vector<std::string>& list);
Json json_value(const Value& value);
/// [low, high], or null where they are undefined.
Json json_interval(double low, double high);
/// Settings in file order, then what the study no longer has.
Json json_settings(const Problem& problem, const Settings& settings);
/// Settings of a point, fixed parameters included, in file order.
Json json_point(const Problem& problem, const Eigen::VectorXd& point);
/// One row of a response's values: a number, or of a curve a list; null without columns.
Json json_row(const Response& response, const Eigen::MatrixXd& values, Eigen::Index row);
/// One row of bounds: an interval, or of a curve a list of them; null without columns.
Json json_bounds(const Response& response, const Eigen::MatrixXd& low, const Eigen::MatrixXd& high,
                 Eigen::Index row);
Json notes_document(const Notes& notes);

}  // namespace renth
