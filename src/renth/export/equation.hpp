// A fitted polynomial as text that other programs take.
#pragma once
#include <renth/base/words.hpp>
#include <renth/workflow/judging.hpp>
#include <string>

namespace renth {

struct EquationOptions {
  enum class Format { text, csv, latex } format = Format::text;
  bool coded = false;  ///< in −1 … +1 instead of natural units
  int digits = 17;     ///< significant digits; 17 loses nothing
};

inline constexpr EnumWords<EquationOptions::Format, 3> equation_format_words{"format of an equation",
                                                                             {"text", "csv", "latex"}};

/// text: one line, "heave = 1.2 + 0.3*draft - …", as expressions and TERMS are written; csv: a row a term;
/// latex: an aligned display. A transformed response stands transformed on the left.
std::string equation(const Study& study, const ModelResult& model, const EquationOptions& options);

}  // namespace renth
