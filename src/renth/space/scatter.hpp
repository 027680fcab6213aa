// What becomes of a setting in production.
#pragma once
#include <Eigen/Core>
#include <renth/base/words.hpp>
#include <renth/space/space.hpp>
#include <string>
#include <vector>

namespace renth {

inline constexpr EnumWords<Scatter::Shape, 7> scatter_words{
    "shape of scatter", {"none", "normal", "uniform", "triangular", "lognormal", "measured", "shares"}};

/// The names that shares are given by: choices, or levels as they are written.
std::vector<std::string> shared_names(const Parameter& parameter);

/// The value that a drifting setting stays below with probability u in (0, 1), in the parameter's unit; may
/// leave the span. The setting itself without scatter. A lognormal's median is the setting, its `size` the
/// coefficient of variation; measured deviations are taken from their piecewise linear quantiles.
/// \param factor  the scatter so many times as wide; of shares, the chance of what was not set.
double scatter_quantile(const Parameter& parameter, double setting, double u, double factor = 1);

/// The density of the value x round a setting; of shares its probability. NaN of measured deviations, which
/// have none.
double scatter_density(const Parameter& parameter, double setting, double x);

/// What is hardly ever passed: half-width of the bounded ones, else three standard deviations or what three
/// thousand of a million leave out.
struct ScatterEnds {
  double low, high;
};
ScatterEnds scatter_ends(const Parameter& parameter, double setting);

/// Can a parameter scatter like this? \throws Error  a size that is not above 0; a percentage of a span that
/// contains 0; a lognormal of what may be 0 or less; shares that are not one a level or choice, below 0, or
/// do not add up to 1; no measured deviation; shares of a number, or anything else of a choice.
void check_scatter(const Parameter& parameter, const std::string& place);

/// Draws what settings become: each parameter with scatter from its distribution, joined by a normal copula.
///
/// A rank correlation ρ becomes the correlation 2 sin(πρ/6) of the normal variables (K. Pearson, Drapers'
/// Company Research Memoirs IV, 1907). Immutable and re-entrant.
class ScatterDraw {
 public:
  /// \throws Error  as check_scatter(); a correlation of what has no scatter, twice, or not between −1 and 1;
  ///                all of them together cannot be: no correlation matrix.
  explicit ScatterDraw(const Space& space);

  /// Those that scatter, ascending: column k of `units` is of the k-th.
  const std::vector<Eigen::Index>& parameters() const { return parameters_; }
  Eigen::Index dimensions() const { return Eigen::Index(parameters_.size()); }
  bool correlated() const { return factor_.size() > 0; }

  /// \param settings  m × d, or one row for all. \param units  m × dimensions(), in (0, 1).
  /// \param factors  of each parameter's scatter, as scatter_quantile(); empty: 1.
  Eigen::MatrixXd around(Points settings, const Eigen::MatrixXd& units,
                         const Eigen::VectorXd& factors = {}) const;

  /// The same draws round each of m settings, one setting's below another's ((m·n) × d).
  Eigen::MatrixXd round_each(Points settings, const Eigen::MatrixXd& units) const;

 private:
  std::vector<Parameter> all_;
  std::vector<Eigen::Index> parameters_;
  Eigen::MatrixXd factor_;  // of the copula's correlation matrix; empty: independent
};

}  // namespace renth
