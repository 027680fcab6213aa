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

/// The nearest of the known names within two edits of this one (fewer of a short one), for "did you mean";
/// nothing if none is.
std::optional<std::string> near_name(std::string_view wanted, const std::vector<std::string>& known);

/// What to do about a name that is not known: "did you mean depth?", else "use one of depth, radius".
std::string instead_of(std::string_view wanted, const std::vector<std::string>& known);

/// \param thing  what it should name: "parameter". \throws Error  always: "unknown parameter depht".
[[noreturn]] void refuse_unknown(std::string_view thing, std::string_view wanted, std::string place,
                                 const std::vector<std::string>& known);

/// "a, b, c".
std::string listed(const std::vector<std::string>& names);

/// "radius [m]".
std::string with_unit(const std::string& title, const std::string& unit);

/// "runs 1–20, 25", for messages; ascending numbers.
std::string listed_runs(const std::vector<std::int64_t>& ids);

}  // namespace renth
