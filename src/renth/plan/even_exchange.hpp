// Making a table of values even by exchanging values within its columns.
#pragma once
#include <renth/numeric/random.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/space/space.hpp>

namespace renth {

/// What exchange_to_even improves.
enum class Evening { distance, discrepancy, projection };

/// What a criterion of a Latin hypercube means; of `none`, anything.
Evening evening_of(LatinHypercubeOptions::Criterion criterion);

/// Exchanges values between rows of a column, which leaves every column's set of values as it is, to
/// make the rows of `points` (n × d, natural units) even; the first `fixed` rows keep theirs. Rows that the
/// limits forbid are repaired first; after that none becomes forbidden.
///
/// `distance`: Σ d_ij^−p over all pairs, p = 20, 40 and 80 by turns (M. D. Morris and T. J. Mitchell, J.
/// Statistical Planning and Inference 43, 1995); of numbers alone, without limits and rows that stay, p = 30,
/// 60 and 90, in seven parameters and more 120, 160 and 200, and rows that are near others are moved more
/// often. Pairs that share a choice count as nearer by the ratio in which a
/// sub-design of that choice alone must be sparser, so that each choice's runs fill the space, and all
/// together. `discrepancy`: the centred L2 discrepancy (R. Jin, W. Chen, A. Sudjianto, same journal 134,
/// 2005). `projection`: the sum of ProjectedPairs. Each by simulated annealing with updates that cost O(n) an
/// exchange, from four starts; of numbers alone from 24 for up to 30 rows, two beyond 500; of the starts the
/// one with the largest smallest distance is kept.
///
/// \param moves  exchanges tried from each start.
/// \returns      how many rows are still forbidden.
int exchange_to_even(const Space& space, Eigen::MatrixXd& points, Eigen::Index fixed, Evening evening,
                     std::int64_t moves, Seed seed, std::string_view purpose);

}  // namespace renth
