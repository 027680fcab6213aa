// The search for exact optimal designs: exchanging coordinates, or whole rows against candidates.
#pragma once
#include <Eigen/Core>
#include <renth/numeric/random.hpp>
#include <renth/space/space.hpp>
#include <renth/terms/terms.hpp>
#include <vector>

namespace renth {

/// One model that the rows are for.
struct ExchangeModel {
  Terms terms;             ///< p
  Eigen::MatrixXd fixed;   ///< X₀ᵀX₀ of runs that exist, (p + q)²; or empty
  Eigen::MatrixXd weight;  ///< (p + q)², positive semidefinite; empty: the determinant is what counts
};

/// Which rows make the information M about a model (ExchangedModel) largest, or trace(M⁻¹·weight) smallest;
/// of several models the mean of ln det M/p or of −ln trace(M⁻¹·weight), that is the geometric mean of their
/// efficiencies (E. Läuter, Mathematische Operationsforschung und Statistik 5, 1974; W. Li and C. J.
/// Nachtsheim, Technometrics 42, 2000).
struct ExchangeProblem {
  Space space;
  std::vector<ExchangeModel> models;  ///< one or more, all with a weight or none
  Eigen::Index rows = 0;
  Eigen::VectorXi group;       ///< rows: 0, 1, … ; empty: all in one
  Eigen::VectorXi repeats;     ///< of each group: runs besides its rows, each at the point of one; or empty
  Eigen::MatrixXd candidates;  ///< m × d, natural units: rows come from this list; or empty
  Eigen::MatrixXd pool;        ///< rows tried besides single coordinates, where limits slant; or empty
  Eigen::MatrixXd columns;  ///< rows × q: what rows bring with them, such as contrasts of blocks; or empty
  Eigen::VectorXi plot;     ///< of each row: its whole plot, 0, 1, …; or empty
  std::vector<Eigen::Index> hard;  ///< parameters that all rows of a plot have in common
  double variance_ratio = 1;       ///< of a plot's error to a run's
};

struct ExchangeResult {
  bool found = false;      ///< false: no start gave rows that can estimate all terms
  Eigen::MatrixXd points;  ///< rows × d, natural units, settable and allowed
  Eigen::VectorXi runs;    ///< how many runs each row stands for
  double value = 0;        ///< log det M, −trace(M⁻¹·weight), or the mean over models: larger is better
};

/// One start from random rows, or from those of `start` (found: false: random): exchange until nothing
/// improves, then `rounds` times move a few rows at random and exchange again, keeping the better; at last
/// spans are refined in ever smaller steps.
///
/// Coordinate exchange: R. K. Meyer and C. J. Nachtsheim, Technometrics 37, 1995; with whole plots, whose
/// hard parameters change for all their rows at once, B. Jones and P. Goos, J. Royal Statistical Society C
/// 56, 2007. Perturbing: iterated local search (H. R. Lourenço, O. C. Martin, T. Stützle, 2003). Cost grows
/// linearly with the candidates.
ExchangeResult exchange(const ExchangeProblem& problem, int rounds, Stream& stream,
                        const ExchangeResult& start = {});

}  // namespace renth
