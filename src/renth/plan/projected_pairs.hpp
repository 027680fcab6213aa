// How near pairs of rows come in whatever parameters one looks at, kept up to date while values are
// exchanged.
#pragma once
#include <cmath>
#include <renth/space/space.hpp>

namespace renth {

/// The sum over all pairs of rows of 1/∏ δ_j², which is small only if no two rows are near each other in any
/// of the parameters together: V. R. Joseph, E. Gul and S. Ba, Biometrika 102, 2015, eq. (5). δ_j is the
/// difference on the unit scale; of a parameter that m < n values share it is |difference| + 1/m, of a choice
/// of m 1/m, and 1 more if the two differ (the same authors, J. Quality Technology 52, 2020).
class ProjectedPairs {
 public:
  ProjectedPairs(const Space& space, const Eigen::MatrixXd& points, double);

  /// Its logarithm, a parameter: pairs that are nearest in all of them do not drown the others.
  double value() const { return std::log(total_) / double(d_); }
  double scale() const { return 1; }
  Eigen::Index worse(Eigen::Index a, Eigen::Index b) const { return of_row_[a] >= of_row_[b] ? a : b; }
  /// The value after exchanging column c of rows a and b, or more than `limit`.
  double after(Eigen::Index a, Eigen::Index b, Eigen::Index c, double limit);
  void apply(Eigen::Index a, Eigen::Index b, Eigen::Index c);

 private:
  double factor(Eigen::Index c, double x, double y) const {
    const double difference = std::abs(x - y);
    const double delta =
        is_choice_[std::size_t(c)] ? double(difference > 0) + shared_[c] : difference + shared_[c];
    return delta * delta;
  }
  void sum_all();

  Eigen::Index n_, d_;
  std::vector<bool> is_choice_;
  Eigen::VectorXd shared_;          // 1/m of each column, or 0
  Eigen::MatrixXd unit_, inverse_;  // n × d; n × n with 0 on its diagonal
  Eigen::VectorXd new_a_, new_b_, of_row_;
  double total_ = 0, after_ = 0;
  int applied_ = 0;
};

}  // namespace renth
