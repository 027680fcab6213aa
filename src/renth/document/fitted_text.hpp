// Printed results on a terminal that is narrower than they are.
#pragma once
#include <string>

namespace renth {

/// The same text in lines of at most `width` characters. A table that is wider is set in several parts, each
/// beginning with its first column; sentences are broken between words. Commands to be pasted (`next:`) and
/// equations stay whole.
/// \param width  0: the text as it is.
std::string fitted_to(const std::string& text, int width);

}  // namespace renth
