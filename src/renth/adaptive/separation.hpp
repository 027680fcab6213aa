// The simplest rule on the parameters that tells failed runs from those that are done.
#pragma once
#include <optional>
#include <renth/numeric/random.hpp>
#include <renth/space/space.hpp>
#include <string>
#include <vector>

namespace renth {

/// One condition on one parameter.
struct Cut {
  enum class Side { below, above, is, is_not } side = Side::below;
  Eigen::Index parameter = 0;
  double value = 0;  ///< natural units; a choice's index
  bool holds(double v) const {
    return side == Side::below   ? v < value
           : side == Side::above ? v > value
                                 : (v == value) == (side == Side::is);
  }
};

/// One or two cuts, and how well they separate.
struct SeparatingRule {
  std::vector<Cut> cuts;
  bool any = false;  ///< fails where any of the cuts holds; else where all do
  int failed = 0, failed_inside = 0, done = 0, done_inside = 0;
  /// Shares of the failed and of the done runs that lie inside, with the rule sought anew without them
  /// (ten folds). They tell what the rule is worth for runs to come.
  double found = 0, wrong = 0;
  /// The two parameters that separate best, also if one cut is enough.
  std::pair<Eigen::Index, Eigen::Index> pair{0, 0};

  bool holds(const Eigen::VectorXd& point) const;
  /// Youden's index on runs left out: 1 separates perfectly, 0 not at all.
  double separation() const { return found - wrong; }
};

/// Of all rules "x < c", "x > c", "choice is c" and all pairs of such joined by *and* or *or*, the one with
/// the largest share of failed less share of done runs inside (W. J. Youden, "Index for rating diagnostic
/// tests", Cancer 3, 1950, p. 33). A second cut must earn at least 0.02 of that index on runs left out.
///
/// The first cut is tried at up to 32 quantiles a parameter, the second at every place, and then each
/// is moved to its best place given the other. Cost n·d²·32 for n runs of d parameters.
///
/// \param points  n × d, natural units. \param failed  n.
/// \returns nothing with fewer than three failed or three done runs, or if no cut separates anything.
std::optional<SeparatingRule> separating_rule(const Space& space, Points points,
                                              const std::vector<bool>& failed, Seed seed);

/// "draft > 5.2 && radius < 4", as a limit would write it.
std::string rule_text(const Space& space, const SeparatingRule& rule);
/// The opposite: "draft <= 5.2 || radius >= 4", which keeps out of there.
std::string limit_text(const Space& space, const SeparatingRule& rule);

}  // namespace renth
