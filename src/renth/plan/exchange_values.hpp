// The values of a parameter that an exchange tries.
#pragma once
#include <Eigen/Core>
#include <renth/space/space.hpp>
#include <renth/terms/term_rows.hpp>
#include <renth/terms/terms.hpp>
#include <vector>

namespace renth {

/// Values of one parameter that are tried everywhere, with the factors of its terms at each.
struct Alternatives {
  std::vector<double> coded, natural;
  Eigen::MatrixXd factors;  // |with(j)| × alternatives
  bool fine = false;        // there are values between them
};

/// All that can be set if they are few; else as many, evenly spread, as its highest power needs.
Alternatives alternatives_of(const Space& space, Eigen::Index parameter, const Terms& terms,
                             const TermRows& rows);

}  // namespace renth
