// What a search sees: values and margins at points, and what may move there.
#pragma once
#include <renth/search/maximise.hpp>

namespace renth {

/// How good a point is: holding everything comes before value.
struct Standing {
  double value = 0, violation = 0;  ///< violation: ∞ where a limit of the space is broken
  bool better_than(const Standing& other) const {
    return violation != other.violation ? violation < other.violation : value > other.value;
  }
};

/// A space with its aims and holds, asked in blocks.
class Landscape {
 public:
  Landscape(const Space& space, const Aims& aims, const MaximiseOptions& options);

  std::vector<Standing> at(const Eigen::MatrixXd& points) const;
  Standing at(const Eigen::VectorXd& point) const { return at(Eigen::MatrixXd(point.transpose())).front(); }

  /// Value, margins and limits (m × (1 + c + l)) wherever the point lies; NaN where nothing is.
  Eigen::MatrixXd columns(const Eigen::MatrixXd& points) const;

  const Space& space() const { return space_; }
  const MaximiseOptions& options() const { return options_; }
  /// Parameters that may take any value, that lie on steps or sizes of a span, and all that are discrete
  /// (those of steps too).
  const std::vector<Eigen::Index>& continuous() const { return continuous_; }
  const std::vector<Eigen::Index>& stepped() const { return stepped_; }
  const std::vector<Eigen::Index>& discrete() const { return discrete_; }
  bool is_held(Eigen::Index j) const { return !options_.hold.empty() && options_.hold[std::size_t(j)]; }
  /// Held values in place.
  Eigen::VectorXd held(Eigen::VectorXd point) const;
  /// How many settings discrete parameters have together.
  double discrete_settings() const;

 private:
  const Space& space_;
  const Aims& aims_;
  const MaximiseOptions& options_;
  std::vector<Eigen::Index> continuous_, stepped_, discrete_;
};

/// A setting with how good it is.
struct Climber {
  Eigen::VectorXd point;
  Standing standing;
};

/// At most `count` points, evenly spread over the settings that the limits and holds leave.
Eigen::MatrixXd first_points(const Landscape& landscape, int count, Seed seed);

/// For sorting, the best first.
inline bool better(const Climber& a, const Climber& b) {
  return a.standing.better_than(b.standing);
}

/// The best that differential evolution makes of some candidates, best first.
std::vector<Climber> evolve(const Landscape& landscape, std::vector<Climber> from, Seed seed);

/// The end of a local search.
Climber climb(const Landscape& landscape, Climber from);

/// What slopes do not find: the last digits where surfaces meet at a kink.
void finish_at_kinks(const Landscape& landscape, Climber& best);

}  // namespace renth
