// Settings on a tape: features, polynomial terms, and whether they exist.
#pragma once
#include <renth/export/tape.hpp>
#include <renth/space/space.hpp>
#include <renth/terms/terms.hpp>

namespace renth {

/// What features() makes of the settings (f). \param x  d natural values.
TapeVector features_on_tape(const Space& space, TapeVector x);

/// A row of the model matrix (p). \param x  d natural values.
TapeVector terms_on_tape(const Space& space, const Terms& terms, TapeVector x);

/// 1 for a choice's index at its place, else 0 (c). \param x  its index.
TapeVector choice_on_tape(const Parameter& choice, TapeVector x);

/// Vectors of single values, multiplied: one a product, of which each is a list of places; empty: 1.
TapeVector products_on_tape(TapeVector factors, const std::vector<std::vector<int>>& products);

/// 1 if every value is a number, every level one of the levels and every choice one of the choices, else 0.
TapeVector exists_on_tape(const Space& space, TapeVector x);

}  // namespace renth
