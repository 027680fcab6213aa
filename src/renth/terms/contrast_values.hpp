// What the contrasts of choices stand for.
#pragma once
#include <renth/terms/terms.hpp>
#include <string>
#include <utility>
#include <vector>

namespace renth {

/// What each contrast in these terms is for each choice: ("hull[composite]", {("steel", −1), …}).
std::vector<std::pair<std::string, std::vector<std::pair<std::string, double>>>> contrast_values(
    const Space& space, const Terms& terms);

}  // namespace renth
