// The region: every setting that the limits allow. One sampler and one rule of "inside" for all.
#pragma once
#include <Eigen/Core>
#include <memory>
#include <renth/numeric/archive.hpp>
#include <renth/numeric/kd_tree.hpp>
#include <renth/numeric/random.hpp>
#include <renth/space/space.hpp>
#include <string_view>
#include <vector>

namespace renth {

/// Which values a sampled point may have.
enum class Values {
  physical,  ///< spans uniform, steps and sizes ignored, each level and choice equally likely
  settable,  ///< only what can be set, each settable value equally likely
};

/// `count` independent points, uniform over the region, in natural units (count × d).
///
/// Plain rejection from the box, so exact; the points are the same on any number of threads.
/// \throws Error  the limits leave less than about one millionth of the box.
Eigen::MatrixXd sample_region(const Space& space, Eigen::Index count, Values values, Seed seed,
                              std::string_view purpose);

/// Evenly spread points of the region in natural units, at most `count`: allowed points of a Sobol'
/// sequence, the same every time; spans are uniform whatever their steps.
/// \throws Error  the limits leave almost nothing.
Eigen::MatrixXd region_points(const Space& space, Eigen::Index count);

/// The share of the box that the limits leave, from 20 000 points; 1 without limits.
double feasible_share(const Space& space, Seed seed);

/// The setting of the box that was found to come nearest to holding every limit.
struct NearestAllowed {
  Eigen::VectorXd point;
  double margin = 0;  ///< of the limit that it holds least; ≥ 0: it holds all
};

/// Looks for a setting that holds every limit: the nominal one, 20 000 at random, and from the best thirty of
/// them by a compass search (V. Torczon, "On the convergence of pattern search algorithms", SIAM J. Optim. 7,
/// 1997), through every choice and level. Ends with the first that holds them all.
NearestAllowed nearest_allowed(const Space& space, Seed seed);

/// The part of the region that a set of runs covers, and so where a surrogate made from them may
/// be asked.
///
/// A point is inside if every choice it takes was run, no numeric value lies beyond the runs'
/// smallest and largest by more than one part in n of their range (the gap that n runs leave at
/// the ends), and either it is no farther from its nearest run than some run is from its own
/// nearest, or it lies in the convex hull of the runs. Distances are Euclidean in the unit cube.
class Coverage {
 public:
  Coverage() = default;
  /// Takes n log n.
  /// \param runs  n × d, natural units; those that surrogates are fitted to.
  Coverage(const Space& space, Points runs);

  bool inside(const Eigen::VectorXd& point) const;
  /// The same of many points (m × d): a point costs some log n.
  std::vector<char> inside_each(Points points) const;
  /// Distance in the unit cube to the nearest run.
  double distance(const Eigen::VectorXd& point) const;

  /// What a coverage consists of; from it the same one can be made again at once.
  struct Parts {
    Eigen::MatrixXd features;     ///< of the different runs, one a row (see features())
    Eigen::VectorXd least, most;  ///< d: smallest and largest value that was run
    double runs = 0;              ///< how many, repeated ones included
    double reach = 0;             ///< the largest distance of a run to its nearest other one
  };
  /// \throws Error  they are not of this space, or contradict themselves.
  Coverage(const Space& space, Parts parts);
  static Coverage load(const Space& space, const Archive& archive);
  Archive save() const;
  const Parts& parts() const { return parts_; }

 private:
  struct Trees;
  bool inside(const Eigen::VectorXd& point, const Eigen::VectorXd& features, const KdTree& tree) const;
  bool in_hull(const Eigen::VectorXd& point, const KdTree& tree) const;
  Space space_;
  Parts parts_;
  Eigen::VectorXd highest_;  // of each feature among the runs
  std::shared_ptr<Trees> trees_;
};

}  // namespace renth
