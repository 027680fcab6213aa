// What only a polynomial has in the documents of fit and trust.
#pragma once
#include <renth/document/figures.hpp>
#include <renth/workflow/judging.hpp>
#include <string>

namespace renth {

/// Terms, natural_terms, anova, equation, dropped, stationary, standouts and more of a MODEL.
Figures regression_figures(const Study& study, const ModelResult& model);

/// The runs that stand out, with their figures.
Rows standout_rows(const ModelResult& model);

/// Terms, analysis of variance, choice of terms, surface, residuals and equation of one model.
std::string regression_table(const Study& study, const ModelResult& model);

/// How errors between and within whole plots compare, a sentence; empty without plots.
std::string strata_sentence(const ErrorStrata& strata);

/// One line a run that stands out; empty if none does.
std::string standout_lines(const ModelResult& model);

}  // namespace renth
