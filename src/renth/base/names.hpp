// Names that people type, and those that they may have meant.
#pragma once
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace renth {

/// A name that expressions can use: letters, digits, underscore, not beginning with a digit.
bool is_identifier(std::string_view name);

/// Number of single-letter edits between two words.
int edit_distance(std::string_view a, std::string_view b);

/// The nearest of the known names that is within two edits of this one, for "did you mean"; nothing if none
/// is.
std::optional<std::string> near_name(std::string_view wanted, const std::vector<std::string>& known);

/// "a, b, c".
std::string listed(const std::vector<std::string>& names);

/// "radius [m]".
std::string with_unit(const std::string& title, const std::string& unit);

/// "runs 1–20, 25", for messages; ascending numbers.
std::string listed_runs(const std::vector<std::int64_t>& ids);

}  // namespace renth
