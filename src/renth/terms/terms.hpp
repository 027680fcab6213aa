// Polynomial terms: their names, their canonical order, and the model matrix.
#pragma once
#include <Eigen/Core>
#include <renth/space/space.hpp>
#include <string>
#include <string_view>
#include <vector>

namespace renth {

/// One parameter in a term: a power of a numeric parameter, or one contrast of a choice.
struct Factor {
  int parameter = 0;
  int power = 1;   ///< ≥ 1; a contrast has 1
  int choice = 0;  ///< contrasts: the choice it is named after, 1 … c − 1; 0 for numbers
  auto operator<=>(const Factor&) const = default;
};

/// A product of factors; no factors is the constant 1.
struct Term {
  std::vector<Factor> factors;  ///< ascending by parameter, each parameter at most once
  int order() const;
  bool operator==(const Term&) const = default;
};

/// Terms in canonical order: 1, linear, two-parameter products, squares, higher, each in study order.
using Terms = std::vector<Term>;

/// Reads TERMS: `linear`, `products`, `quadratic`, `cubic`, or a sum such as
/// "1 + radius + radius*draft + radius^2"; "quadratic - draft^2" removes one. A choice's name
/// stands for all its contrasts, `hull[composite]` for one. The constant is in unless removed by
/// "- 1". Squares are in `quadratic` only for parameters with three values or more, cubes in
/// `cubic` for four or more.
/// \throws Error  unknown names, a power of a choice, something that is no sum of products.
Terms parse_terms(const Space& space, std::string_view text);

/// Models of which one may hold, TERMS separated by ";", those with most terms first.
/// \throws Error  as parse_terms.
std::vector<Terms> parse_models(const Space& space, std::string_view text);

/// "radius*draft", "radius^2", "hull[composite]", "1".
std::string name(const Space& space, const Term& term);

/// Terms that are one in every analysis: all contrasts of a choice together, "hull", "radius*hull".
struct TermGroup {
  std::string name;
  std::vector<std::size_t> terms;  ///< their places
};
/// In the order of their first terms; the constant is in none.
std::vector<TermGroup> group_contrasts(const Space& space, const Terms& terms);

/// The sum as parse_terms reads it, "1 + radius + …".
std::string describe(const Space& space, const Terms& terms);

/// Contrasts of a choice with c names (c × (c − 1)): columns sum to zero and are orthogonal, with
/// mean square 1, so that two names are coded −1 and +1 like two levels. Column k − 1 belongs to
/// name k and is made from its indicator by Gram–Schmidt against the constant and the columns before.
Eigen::MatrixXd contrasts(int c);

/// The model matrix (m × p) in coded units and contrasts.
Eigen::MatrixXd model_matrix(const Space& space, const Terms& terms, Points natural);

/// Its derivative with respect to one natural parameter (m × p); zero for a choice.
Eigen::MatrixXd model_matrix_slope(const Space& space, const Terms& terms, Points natural,
                                   Eigen::Index parameter);

/// A polynomial in coded units, multiplied out in natural units: terms in canonical order and
/// their coefficients. Contrasts stay contrasts. Worked out in extended precision; `tail` is what the
/// coefficients have beyond a double, or empty.
struct NaturalPolynomial {
  Terms terms;
  Eigen::VectorXd coefficients;
};
NaturalPolynomial expand_natural(const Space& space, const Terms& terms, const Eigen::VectorXd& coded,
                                 const Eigen::VectorXd& tail = {});

}  // namespace renth
