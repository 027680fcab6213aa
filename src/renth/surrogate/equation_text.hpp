// A polynomial as a line of text.
#pragma once
#include <renth/surrogate/transform.hpp>
#include <renth/terms/terms.hpp>
#include <string>

namespace renth {

/// A number with as few digits as lose nothing (17 or more asked for), or as many as asked for.
std::string digits_of(double value, int digits);

/// "power = 1.2 + 0.3*draft - …", as expressions and TERMS are written. A transformed response stands
/// transformed on the left.
std::string equation_text(const Space& space, const std::string& response, const Transform& transform,
                          const NaturalPolynomial& polynomial, int digits);

}  // namespace renth
