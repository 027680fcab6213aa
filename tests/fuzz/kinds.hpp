// The kinds of surrogates that a target asks for by number.
#pragma once

namespace renth::fuzz {
inline constexpr const char* kinds[] = {"polynomial",       "kriging", "nearest-kriging", "rbf",
                                        "moving",           "chaos",   "blend",           "reduced",
                                        "rescaled",         "along",   "components",      "feasibility",
                                        "kriging-ensemble", "warped",  "layered"};
inline constexpr int kind_count = sizeof kinds / sizeof *kinds;
}  // namespace renth::fuzz
