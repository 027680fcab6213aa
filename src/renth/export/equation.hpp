// A fitted polynomial as text that other programs take.
#pragma once
#include <renth/base/words.hpp>
#include <renth/workflow/judging.hpp>
#include <string>

namespace renth {

struct EquationOptions {
  enum class Format { text, csv, latex, c } format = Format::text;
  bool coded = false;  ///< in −1 … +1 instead of natural units
  int digits = 17;     ///< significant digits; 17 loses nothing
};

inline constexpr EnumWords<EquationOptions::Format, 4> equation_format_words{"format of an equation",
                                                                             {"text", "csv", "latex", "c"}};

/// text: one line, "heave = 1.2 + 0.3*draft - …", as expressions and TERMS are written; csv: a row a term;
/// latex: an aligned display; c: a function of the parameters, choices as their number, that gives the
/// response itself. A transformed response stands transformed on the left, except in c.
std::string equation(const Study& study, const ModelResult& model, const EquationOptions& options);

}  // namespace renth
