// The search for exact optimal designs: exchanging coordinates, or whole rows against candidates.
#pragma once
#include <Eigen/Core>
#include <renth/numeric/random.hpp>
#include <renth/space/space.hpp>
#include <renth/terms/terms.hpp>

namespace renth {

/// Which n rows make the information M = X₀ᵀX₀ + XᵀX largest, or trace(M⁻¹·weight) smallest.
struct ExchangeProblem {
  Space space;
  Terms terms;
  int runs = 0;
  Eigen::MatrixXd fixed;       ///< X₀ᵀX₀ of runs that exist (p × p), or empty
  Eigen::MatrixXd weight;      ///< p × p, positive semidefinite; empty: the determinant is what counts
  Eigen::MatrixXd candidates;  ///< m × d, natural units: rows come from this list; or empty
  Eigen::MatrixXd pool;        ///< rows tried besides single coordinates, where limits slant; or empty
};

struct ExchangeResult {
  bool found = false;      ///< false: no start gave rows that can estimate all terms
  Eigen::MatrixXd points;  ///< n × d, natural units, settable and allowed
  double value = 0;        ///< log det M, or −trace(M⁻¹·weight): larger is better
};

/// One start from random rows, or from `start` (n × d, natural units, empty: random): exchange until
/// nothing improves, then `rounds` times move a few rows at random and exchange again, keeping the
/// better; at last spans are refined in ever smaller steps.
///
/// Coordinate exchange: R. K. Meyer and C. J. Nachtsheim, Technometrics 37, 1995. Putting f in the place of
/// f_i multiplies det M by (1 − d_ii)(1 + fᵀM⁻¹f) + (fᵀM⁻¹f_i)² (V. V. Fedorov, Theory of Optimal
/// Experiments, 1972, (3.2.1)), of which one coordinate changes only the terms that it is in. Perturbing:
/// iterated local search (H. R. Lourenço, O. C. Martin, T. Stützle, 2003). Cost grows linearly with the
/// candidates.
ExchangeResult exchange(const ExchangeProblem& problem, int rounds, Stream& stream,
                        const Eigen::MatrixXd& start = {});

}  // namespace renth
