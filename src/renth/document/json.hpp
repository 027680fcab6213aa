// JSON as the documents of the interface have it.
#pragma once
#include <Eigen/Core>
#include <nlohmann/json.hpp>
#include <renth/base/error.hpp>
#include <renth/base/notes.hpp>
#include <renth/problem/problem.hpp>
#include <string>
#include <vector>

namespace renth {

/// Keys in the order in which they are written here.
using Json = nlohmann::ordered_json;

/// A document as text, on one line or indented; bytes that are no UTF-8 are replaced.
std::string json_text(const Json& document, bool indented = false);

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
Json notes_document(const Notes& notes);
/// {"what", "where", "remedy", "status"}.
Json error_entry(const Error& error);
/// The document of a verb that was refused or failed.
Json error_document(const Error& error);

}  // namespace renth
