// A fitted polynomial as text that other programs take.
#pragma once
#include <renth/study/results.hpp>
#include <string>
#include <utility>
#include <vector>

namespace renth {

struct EquationOptions {
  enum class Format { text, csv, latex, c } format = Format::text;
  bool coded = false;  ///< in −1 … +1 instead of natural units
  int digits = 17;     ///< significant digits; 17 loses nothing
};

/// \throws Error  an unknown name.
EquationOptions::Format equation_format(const std::string& name);

/// text: one line, "heave = 1.2 + 0.3*draft - …", as expressions and TERMS are written; csv: a row a term;
/// latex: an aligned display; c: a function of the parameters, choices as their number, that gives the
/// response itself. A transformed response stands transformed on the left, except in c.
std::string equation(const Study& study, const ModelResult& model, const EquationOptions& options);

/// What each contrast in these terms is for each choice: ("hull[composite]", {("steel", −1), …}).
std::vector<std::pair<std::string, std::vector<std::pair<std::string, double>>>> contrast_values(
    const Space& space, const Terms& terms);

}  // namespace renth
