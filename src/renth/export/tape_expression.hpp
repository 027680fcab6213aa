// Expressions on a tape.
#pragma once
#include <functional>
#include <renth/export/tape.hpp>
#include <renth/expression/expression.hpp>

namespace renth {

/// The value of an expression, NaN where it is undefined.
/// \param of_symbol  the vector of a symbol: one value, or of a curve one an axis point.
/// \throws Error  a function of a curve between ends that are not constant.
TapeVector expression_on_tape(const Expression& expression, Tape& tape,
                              const std::function<TapeVector(std::size_t symbol)>& of_symbol);

}  // namespace renth
