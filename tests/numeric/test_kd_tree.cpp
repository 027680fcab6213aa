#include <doctest/doctest.h>

#include <algorithm>
#include <numeric>
#include <renth/numeric/kd_tree.hpp>
#include <renth/numeric/random.hpp>

using namespace renth;

TEST_CASE("the tree finds what looking at every point finds, ties and repeated points too") {
  for (const int f : {1, 2, 5}) {
    Stream stream(1, "points", std::uint64_t(f));
    Eigen::MatrixXd points(700, f);
    for (double& v : points.reshaped()) v = std::round(20 * stream.uniform()) / 20;  // many ties
    const KdTree tree(points, 600);
    for (int trial = 0; trial < 40; ++trial) {
      Eigen::VectorXd at(f);
      for (double& v : at) v = 1.2 * stream.uniform() - 0.1;
      std::vector<int> found, order(600);
      tree.nearest(at.data(), 17, found);
      std::iota(order.begin(), order.end(), 0);
      std::stable_sort(order.begin(), order.end(), [&](int a, int b) {
        return (points.row(a) - at.transpose()).squaredNorm() <
               (points.row(b) - at.transpose()).squaredNorm();
      });
      REQUIRE(found.size() == 17);
      for (std::size_t k = 0; k < 17; ++k)
        CHECK((points.row(found[k]) - at.transpose()).squaredNorm() ==
              doctest::Approx((points.row(order[k]) - at.transpose()).squaredNorm()).epsilon(1e-12));
    }
  }
  std::vector<int> rows;
  KdTree(Eigen::MatrixXd::Zero(60, 2)).nearest(Eigen::Vector2d::Zero().eval().data(), 100, rows);
  CHECK(rows.size() == 60);
}
