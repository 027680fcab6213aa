#include <fmt/format.h>

#include <cmath>
#include <renth/surrogate/equation_text.hpp>

namespace renth {

std::string digits_of(double value, int digits) {
  return digits >= 17 ? fmt::format("{}", value) : fmt::format("{:.{}g}", value, digits);
}

namespace {

std::string left_side(const std::string& response, const Transform& t) {
  if (t.none()) return response;
  if (t.lambda == 0) return "log(" + response + ")";
  return fmt::format("({}^{:g} - 1)/{:g}", response, t.lambda, t.lambda);
}

}  // namespace

std::string equation_text(const Space& space, const std::string& response, const Transform& transform,
                          const NaturalPolynomial& p, int digits) {
  std::string out = left_side(response, transform) + " =";
  for (std::size_t t = 0; t < p.terms.size(); ++t) {
    const double c = p.coefficients[Eigen::Index(t)];
    const std::string term = name(space, p.terms[t]);
    out += fmt::format(" {}{}{}", t == 0 ? (c < 0 ? "-" : "") : (c < 0 ? "- " : "+ "),
                       digits_of(std::abs(c), digits), term == "1" ? "" : "*" + term);
  }
  return out;
}

}  // namespace renth
