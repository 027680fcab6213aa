// Settings as people write them.
#pragma once
#include <map>
#include <string>
#include <variant>

namespace renth {

/// A value of a parameter as people write it: a number, or the name of a choice.
using Value = std::variant<double, std::string>;
/// Settings by parameter name; whatever a run was made with.
using Settings = std::map<std::string, Value>;

}  // namespace renth
