// The Sobol' sequence, plain and scrambled.
#pragma once
#include <Eigen/Core>
#include <renth/numeric/random.hpp>

namespace renth {

/// Points first … first + count − 1 of the Sobol' sequence in the unit cube (count × dimensions), in Gray
/// code order, starting with the origin (I. A. Antonov and V. M. Saleev, USSR Comput. Math. 19, 1980);
/// direction numbers by S. Joe and F. Y. Kuo, SIAM J. Sci. Comput. 30, 2008.
/// \throws Error  dimensions > 3 667 or first + count > 2³².
Eigen::MatrixXd sobol_points(Eigen::Index count, Eigen::Index dimensions, std::uint64_t first = 0);

/// The same with Owen's nested uniform scrambling, by hashing (B. Burley, "Practical hash-based Owen
/// scrambling", Journal of Computer Graphics Techniques 9(4), 2020): every net property stays, and
/// each point is uniform on the open cube. Two scrambles (seed, purpose) are independent.
Eigen::MatrixXd scrambled_sobol_points(Eigen::Index count, Eigen::Index dimensions, Seed seed,
                                       std::string_view purpose, std::uint64_t first = 0);

}  // namespace renth
