// A fit beside another that was kept by name, as JSON and as tables.
#pragma once
#include <renth/document/figures.hpp>
#include <renth/workflow/comparing_fits.hpp>
#include <string>

namespace renth {

Figures comparison_figures(const Study& study, const ModelResult& current, const FitComparison& against);
std::string comparison_table(const Study& study, const ModelResult& current, const FitComparison& against);

}  // namespace renth
