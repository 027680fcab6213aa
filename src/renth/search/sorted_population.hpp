// Who dominates whom.
#pragma once
#include <Eigen/Core>
#include <vector>

namespace renth {

/// Something with objectives, smaller is better, and how far it violates.
struct Contender {
  Eigen::VectorXd point, responses, objectives;
  double violation = 0;
};

/// No worse in anything and better in something; holding comes before all.
bool dominates(const Contender& a, const Contender& b);

/// Those that no other dominates; of equal objectives the first.
std::vector<Contender> non_dominated(const std::vector<Contender>& all);

/// The best `count`, by ranks of domination, within the last rank those least crowded (K. Deb and others,
/// IEEE Trans. Evolutionary Computation 6, 2002, section III). Best first.
std::vector<Contender> survivors(std::vector<Contender> all, std::size_t count);

/// The smallest and largest of each objective.
struct ObjectiveRange {
  Eigen::VectorXd low, high;
  explicit ObjectiveRange(const std::vector<Contender>& of);
  Eigen::VectorXd width() const {
    return (high - low).cwiseMax(1e-12 * (1 + high.cwiseAbs().array()).matrix());
  }
  /// 0 … 1.
  Eigen::VectorXd scaled(const Eigen::VectorXd& objectives) const {
    return (objectives - low).cwiseQuotient(width());
  }
};

/// `count` of them, evenly spread, their ends among them. Of two objectives those without which most of the
/// area would be lost, else each the farthest from those taken before.
std::vector<Contender> evenly(std::vector<Contender> all, std::size_t count);

}  // namespace renth
