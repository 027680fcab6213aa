#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/export/comment_text.hpp>
#include <renth/export/equation.hpp>
#include <renth/surrogate/equation_text.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <renth/surrogate/transform.hpp>
#include <renth/table/table_file.hpp>
#include <renth/terms/contrast_values.hpp>

namespace renth {
namespace {

std::string as_csv(const Study& study, const NaturalPolynomial& p, int digits) {
  std::string out = "term,coefficient\n";
  for (std::size_t t = 0; t < p.terms.size(); ++t)
    out += csv_cell(name(study.space, p.terms[t])) + "," +
           digits_of(p.coefficients[Eigen::Index(t)], digits) + "\n";
  return out;
}

std::string latex_text(const std::string& text) {
  std::string out;
  for (const char c : text) {
    if (c == '\\')
      out += "\\backslash ";
    else if (c == '^')
      out += "{}^{\\wedge}";
    else if (c == '~')
      out += "\\sim ";
    else if (std::string_view("_#$%&{}").find(c) != std::string_view::npos)
      out += std::string("\\") + c;
    else
      out += c;
  }
  return "\\mathrm{" + out + "}";
}

std::string latex_number(double value, int digits) {
  std::string text = digits_of(value, digits);
  const std::size_t e = text.find('e');
  if (e == std::string::npos) return text;
  return text.substr(0, e) + " \\times 10^{" + std::to_string(std::stoi(text.substr(e + 1))) + "}";
}

std::string as_latex(const Study& study, const std::string& response, const Transform& transform,
                     const NaturalPolynomial& p, int digits) {
  const std::string y = "\\widehat{" + latex_text(response) + "}";
  std::string out = "\\begin{aligned}\n";
  out += transform.none() ? y
         : transform.lambda == 0
             ? "\\ln " + y
             : fmt::format("({}^{{{:g}}} - 1)/{:g}", y, transform.lambda, transform.lambda);
  out += " ={}& ";
  for (std::size_t t = 0; t < p.terms.size(); ++t) {
    const double c = p.coefficients[Eigen::Index(t)];
    if (t > 0 && t % 4 == 0) out += " \\\\\n  & ";
    out += fmt::format("{}{}", t == 0 ? (c < 0 ? "-" : "") : (c < 0 ? " - " : " + "),
                       latex_number(std::abs(c), digits));
    for (const Factor& f : p.terms[t].factors) {
      const Parameter& parameter = study.space[f.parameter];
      out += "\\," + latex_text(parameter.name);
      if (f.choice > 0) out += "_{" + latex_text(parameter.choices[std::size_t(f.choice)]) + "}";
      if (f.power > 1) out += fmt::format("^{{{}}}", f.power);
    }
  }
  out += "\n\\end{aligned}\n";
  for (const auto& [contrast, values] : contrast_values(study.space, p.terms)) {
    out += "% " + contrast + " is";
    for (const auto& [choice, value] : values)
      out += fmt::format(" {} for {},", digits_of(value, digits), comment_text(choice));
    out.back() = '\n';
  }
  return out;
}

}  // namespace

std::string equation(const Study& study, const ModelResult& m, const EquationOptions& options) {
  const Polynomial::State& s = m.polynomial->state();
  const NaturalPolynomial p = options.coded ? NaturalPolynomial{s.terms, s.beta} : m.natural;
  switch (options.format) {
    case EquationOptions::Format::csv:
      return as_csv(study, p, options.digits);
    case EquationOptions::Format::latex:
      return as_latex(study, m.response, s.transform, p, options.digits);
    default:
      return equation_text(study.space, m.response, s.transform, p, options.digits);
  }
}

}  // namespace renth
