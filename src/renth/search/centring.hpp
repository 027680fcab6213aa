// The setting near a present one with the highest yield.
#pragma once
#include <optional>
#include <renth/tolerance/tolerance.hpp>
#include <vector>

namespace renth {

struct CentringOptions {
  double level = 0.95;
  std::vector<std::optional<double>> hold = {};  ///< as in MaximiseOptions
};

/// What a better centre of the tolerances brings, and costs.
struct Centred {
  Eigen::VectorXd at;      ///< the present setting, if nothing is better
  Estimate before, after;  ///< yields, by the same draws
  struct Mean {
    int response;
    double before, after;  ///< under scatter
  };
  std::vector<Mean> means;
};

/// Design centring: climbs on the yield of draws that go along with the setting, in and out rounded off less
/// and less (three times; S. W. Director and G. D. Hachtel, IEEE Trans. Circuits and Systems 24, 1977, for
/// the task; the climb is climb_from()), obeying limits, steps, levels and choices.
Centred centred(const Specification& specification, const Eigen::VectorXd& at, const CentringOptions& options,
                Seed seed);

/// The yield of each of m settings by the same few draws, in and out rounded off: what a search climbs.
/// Re-entrant.
class SmoothYield {
 public:
  /// \param scale  of each limit's margin: its deviation under scatter at some setting. \param softness  how
  /// much of it is between in and out.
  SmoothYield(const Specification& specification, Eigen::RowVectorXd scale, double softness,
              Eigen::Index draws, Seed seed);
  Eigen::VectorXd at(Points settings) const;

 private:
  const Specification& specification_;
  ScatterDraw draw_;
  Eigen::RowVectorXd scale_;
  double softness_;
  Eigen::MatrixXd units_, normals_;
};

}  // namespace renth
