// Whether what was read of a surrogate fits together: bytes that no fit wrote must end in an error.
#pragma once
#include <Eigen/Core>
#include <renth/base/error.hpp>
#include <renth/space/features.hpp>

namespace renth {

/// \throws Error (machine)  unless `sound`.
inline void need_sound(bool sound) {
  if (!sound)
    throw Error("a stored surrogate contradicts itself", "surrogate", "fit the response again",
                ErrorKind::machine);
}

/// Has it these rows and columns, and finite numbers alone?
inline bool is_finite(const Eigen::MatrixXd& m, Eigen::Index rows, Eigen::Index columns) {
  return m.rows() == rows && m.cols() == columns && m.allFinite();
}
inline bool is_finite(const Eigen::VectorXd& v, Eigen::Index size) {
  return v.size() == size && v.allFinite();
}

/// Are these runs of a space as features, one a row, at least one?
inline bool are_runs(const Eigen::MatrixXd& runs, const Space& space) {
  return runs.rows() > 0 && is_finite(runs, runs.rows(), Eigen::Index(feature_parameters(space).size()));
}

}  // namespace renth
