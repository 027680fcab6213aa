// The region as good as the best: how far each parameter may move alone, all together, and its pieces.
#pragma once
#include <renth/predict/reach.hpp>
#include <renth/search/as_good.hpp>

namespace renth {

/// Ends of each parameter; of a choice every one that occurs.
struct SettingsBox {
  Eigen::VectorXd low, high;  ///< d, natural
  std::vector<std::vector<double>>
      values;  ///< of choices their indices, of levels, steps and sizes all that lie within
};

struct NearBest {
  Eigen::VectorXd best;      ///< what it was compared with
  double allowed = 0;        ///< what may be lost; NaN: what is not significant
  double share = 0;          ///< of the region
  double share_error = 0;    ///< its standard error, by sampling
  std::vector<Reach> alone;  ///< each parameter, the others at the best
  SettingsBox box;           ///< the largest found round the best
  double box_volume = 0;     ///< of the box of all spans that vary
  /// Where the region falls apart: the piece with the best first, then by size; one: it hangs together.
  struct Piece {
    SettingsBox span;       ///< the smallest box round it
    double share = 0;       ///< of the region
    Eigen::VectorXd point;  ///< its best
  };
  std::vector<Piece> pieces;
};

struct NearBestOptions {
  int samples = 8192;
  std::vector<std::optional<double>> hold = {};  ///< as in MaximiseOptions
};

/// \param margin  m × d points in, m margins out: ≥ 0 where it is as good as the best and everything holds.
/// \param best    obeys it.
///
/// The share is counted in a sample of the region; of one that is less than a tenth level by level (S.-K. Au
/// and J. L. Beck, Probabilistic Engineering Mechanics 16, 2001). The largest box: greedy cuts that leave out
/// points outside, in many random orders, faces then pushed out again, and the box searched for what is still
/// outside until nothing is found. Pieces: points that lines within the region connect.
NearBest near_best(const Space& space, const std::function<Eigen::VectorXd(Points)>& margin,
                   const Eigen::VectorXd& best, const NearBestOptions& options, Seed seed);

/// The largest box of settings round `best` in which margins are not negative.
SettingsBox largest_box(const Space& space, const std::function<Eigen::VectorXd(Points)>& margin,
                        const Eigen::VectorXd& best, const NearBestOptions& options, Seed seed);

}  // namespace renth
