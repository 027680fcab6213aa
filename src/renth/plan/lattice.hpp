// Lattices as beginnings for Latin hypercubes in two and three parameters.
#pragma once
#include <Eigen/Core>

namespace renth {

/// Ranks 0 … n − 1 in each of k columns (n × k): points (i, g·i mod m, h·i mod m) of the lattice, with m a
/// little above n or n itself, whose smallest distance is largest (periodic designs: E. R. van Dam,
/// B. Husslage, D. den Hertog, H. Melissen, Operations Research 55, 2007). Empty unless k = 2 with n ≤ 2 000
/// or k = 3 with n ≤ 100.
Eigen::MatrixXi lattice_ranks(Eigen::Index n, Eigen::Index k);

}  // namespace renth
