#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/text.hpp>
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

/// What stands in a comment: on one line, and without what would end it.
std::string comment_text(std::string_view text) {
  std::string out;
  for (const char c : text) {
    if (!out.empty() && ((c == '/' && out.back() == '*') || (c == '*' && out.back() == '/'))) out += ' ';
    out += c == '\n' || c == '\t' ? ' ' : c;
  }
  return without_controls(out);
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

std::string c_factor(const Study& study, const Factor& f) {
  const Parameter& p = study.space[f.parameter];
  if (f.choice > 0) return fmt::format("{}_contrast_{}[{}]", p.name, f.choice, p.name);
  std::string out = p.name;
  for (int k = 1; k < f.power; ++k) out += " * " + p.name;
  return out;
}

std::string as_c(const Study& study, const std::string& response, const Transform& transform,
                 const NaturalPolynomial& p, int digits, bool coded) {
  std::vector<bool> used(std::size_t(study.space.size()), false);
  for (const Term& t : p.terms)
    for (const Factor& f : t.factors) used[std::size_t(f.parameter)] = true;
  std::string arguments, tables, words = fmt::format("/* {}, fitted by renth", response);
  for (Eigen::Index j = 0; j < study.space.size(); ++j) {
    if (!used[std::size_t(j)]) continue;
    const Parameter& q = study.space[j];
    arguments += (arguments.empty() ? "" : ", ") + std::string(q.is_choice() ? "int " : "double ") + q.name;
    words += fmt::format("\n   {}: ", q.name);
    if (q.is_choice())
      for (std::size_t c = 0; c < q.choices.size(); ++c)
        words += fmt::format("{}{} {}", c ? ", " : "", c, comment_text(q.choices[c]));
    else
      words += coded ? "-1 to 1" : fmt::format("{} to {} {}", q.low, q.high, comment_text(q.unit));
    if (!q.is_choice()) continue;
    const Eigen::MatrixXd table = contrasts(int(q.choices.size()));
    for (Eigen::Index k = 0; k < table.cols(); ++k) {
      std::string values;
      for (Eigen::Index c = 0; c < table.rows(); ++c) values += (c ? ", " : "") + digits_of(table(c, k), 17);
      tables += fmt::format("  static const double {}_contrast_{}[] = {{{}}};\n", q.name, k + 1, values);
    }
  }
  std::string sum;
  for (std::size_t t = 0; t < p.terms.size(); ++t) {
    const double c = p.coefficients[Eigen::Index(t)];
    sum += fmt::format("\n    {} {}", c < 0 ? '-' : '+', digits_of(std::abs(c), digits));
    for (const Factor& f : p.terms[t].factors) sum += " * " + c_factor(study, f);
  }
  const std::string result = transform.none()        ? "sum_of_terms"
                             : transform.lambda == 0 ? "exp(sum_of_terms)"
                                                     : fmt::format("pow({:g} * sum_of_terms + 1, {})",
                                                                   transform.lambda, 1 / transform.lambda);
  return fmt::format("{}{} */\ndouble {}({}) {{\n{}  const double sum_of_terms ={};\n  return {};\n}}\n",
                     transform.none() ? "" : "#include <math.h>\n", words, response,
                     arguments.empty() ? "void" : arguments, tables, sum, result);
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
    case EquationOptions::Format::c:
      return as_c(study, m.response, s.transform, p, options.digits, options.coded);
    default:
      return equation_text(study.space, m.response, s.transform, p, options.digits);
  }
}

}  // namespace renth
