// What only a polynomial has in the tables of `fit` and `trust`.
#pragma once
#include <renth/study/results.hpp>
#include <string>

namespace renth {

/// Terms, analysis of variance, choice of terms, surface, residuals and equation of one model.
std::string regression_table(const Study& study, const ModelResult& model);

/// One line a run that stands out; empty if none does.
std::string standout_lines(const ModelResult& model);

}  // namespace renth
