// What only a polynomial has in the document of `fit`.
#pragma once
#include <renth/study/json.hpp>

namespace renth {

/// Adds terms, natural_terms, anova, equation, dropped, stationary, standouts and more to a MODEL.
void add_regression(const Study& study, const ModelResult& model, Json& document);

/// The runs that stand out, with their figures.
Json standouts_document(const ModelResult& model);

}  // namespace renth
