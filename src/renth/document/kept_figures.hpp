// Figures out of a document.
#pragma once
#include <renth/document/figures.hpp>
#include <renth/study/study.hpp>
#include <string>

namespace renth {

using Kept = nlohmann::json;

/// A number of a document; NaN where it is null or not there.
double number_in(const Kept& document, const char* key);
std::string text_in(const Kept& document, const char* key);
/// The ends of an interval; NaN where there is none.
Bounds bounds_in(const Kept& document, const char* key);
/// The level of a document's intervals.
double level_in(const Kept& document);
/// A list or object of a document; empty where it is not there.
const Kept& part_of(const Kept& document, const char* key);

/// "annual mean power" of a response's name, or the name where the study has none such.
std::string title_of_response(const Study& study, const std::string& name);
std::string title_of_parameter(const Study& study, const std::string& name);
std::string unit_of_response(const Study& study, const std::string& name);

/// The varying parameters of a point, a column each.
Figures point_columns(const Study& study, const Kept& point);

}  // namespace renth
