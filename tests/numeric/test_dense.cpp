#include <doctest/doctest.h>

#include <renth/base/error.hpp>
#include <renth/numeric/base64.hpp>
#include <renth/numeric/dense.hpp>
#include <renth/numeric/kd_tree.hpp>
#include <renth/numeric/random.hpp>
#include <renth/numeric/singular_values.hpp>
#include <renth/numeric/symmetric_eigen.hpp>

using namespace renth;

namespace {

Eigen::MatrixXd some(Eigen::Index rows, Eigen::Index columns) {
  Stream stream(3, "matrix");
  Eigen::MatrixXd out(rows, columns);
  for (Eigen::Index i = 0; i < out.size(); ++i) out.data()[i] = 2 * stream.uniform() - 1;
  return out;
}

}  // namespace

TEST_CASE(
    "a QR factor is orthogonal times triangular, and its solution leaves residuals that no column sees") {
  const Eigen::MatrixXd a = some(12, 5);
  const Eigen::VectorXd b = some(12, 1).col(0);
  const QrFactor qr(a);
  CHECK((qr.basis() * qr.triangle() - a).norm() < 1e-14);
  CHECK((qr.basis().transpose() * qr.basis() - Eigen::MatrixXd::Identity(5, 5)).norm() < 1e-14);
  CHECK((qr.triangle() * qr.inverse_triangle() - Eigen::MatrixXd::Identity(5, 5)).norm() < 1e-13);
  CHECK((a.transpose() * (b - a * qr.solve(b))).norm() < 1e-13);
}

TEST_CASE("rank, least squares and the shortest of them") {
  Eigen::MatrixXd a = some(9, 4);
  CHECK(column_rank(a) == 4);
  a.col(3) = a.col(0) - 2 * a.col(1);
  CHECK(column_rank(a) == 3);
  const Eigen::VectorXd b = some(9, 1).col(0), x = shortest_least_squares(a, b, 1e-9);
  CHECK((a.transpose() * (b - a * x)).norm() < 1e-12);
  const Eigen::Vector4d idle(1, -2, 0, -1);  // what changes nothing
  CHECK(std::abs(x.dot(idle)) < 1e-12);
}

TEST_CASE("LU, Cholesky and symmetric factors solve what they are of") {
  const Eigen::MatrixXd a = some(7, 7), b = some(7, 2);
  const LuFactor lu(a);
  CHECK((a * lu.solve(b) - b).norm() < 1e-12);
  CHECK((a * lu.inverse() - Eigen::MatrixXd::Identity(7, 7)).norm() < 1e-12);
  CHECK(lu.reciprocal_condition() > 0);
  const Eigen::MatrixXd m = a * a.transpose() + Eigen::MatrixXd::Identity(7, 7);
  const PositiveFactor factor(m);
  CHECK(factor.is_definite());
  CHECK((m * factor.inverse() - Eigen::MatrixXd::Identity(7, 7)).norm() < 1e-12);
  CHECK(factor.log_determinant() == doctest::Approx(symmetric_eigenvalues(m).array().log().sum()));
  CHECK_FALSE(PositiveFactor(-m).is_definite());
  const SymmetricEigen eigen = symmetric_eigen(m);
  CHECK((eigen.vectors * eigen.values.asDiagonal() * eigen.vectors.transpose() - m).norm() < 1e-12);
}

TEST_CASE("singular values are the roots of the eigenvalues, tall or wide") {
  for (const auto& [rows, columns] : {std::pair{20, 6}, std::pair{6, 20}, std::pair{1, 1}}) {
    const Eigen::MatrixXd a = some(rows, columns);
    const SingularValues s = singular_values(a);
    const Eigen::Index k = std::min(rows, columns);
    REQUIRE(s.values.size() == k);
    CHECK((s.right.transpose() * s.right - Eigen::MatrixXd::Identity(k, k)).norm() < 1e-13);
    CHECK(((a * s.right).colwise().norm().transpose() - s.values).norm() < 1e-13);
    for (Eigen::Index i = 1; i < k; ++i) CHECK(s.values[i] <= s.values[i - 1]);
  }
}

TEST_CASE("a tree finds the nearest and the lowest points that looking at all of them finds") {
  Eigen::MatrixXd points = some(700, 3);
  points.row(5) = points.row(400);
  const KdTree split(points), whole(points, -1, 700);
  const Eigen::MatrixXd asked = some(60, 3);
  for (Eigen::Index i = 0; i < asked.rows(); ++i) {
    const Eigen::VectorXd at = 1.5 * asked.row(i).transpose();
    const Eigen::VectorXd squared = (points.rowwise() - at.transpose()).rowwise().squaredNorm();
    CHECK(split.nearest_squared(at.data()) == doctest::Approx(squared.minCoeff()).epsilon(1e-14));
    CHECK(split.nearest_squared(at.data()) == whole.nearest_squared(at.data()));
    CHECK(split.lowest(at.data()) == whole.lowest(at.data()));
    CHECK((points * at)[split.lowest(at.data())] == doctest::Approx((points * at).minCoeff()).epsilon(1e-12));
  }
  CHECK(KdTree(Eigen::MatrixXd(0, 3)).lowest(asked.data()) == -1);
}

TEST_CASE("base64 is that of the standard, and what is none is refused") {
  // RFC 4648, section 10.
  const std::vector<std::pair<std::string, std::string>> table = {{"", ""},
                                                                  {"f", "Zg=="},
                                                                  {"fo", "Zm8="},
                                                                  {"foo", "Zm9v"},
                                                                  {"foob", "Zm9vYg=="},
                                                                  {"fooba", "Zm9vYmE="},
                                                                  {"foobar", "Zm9vYmFy"}};
  for (const auto& [plain, coded] : table) {
    CHECK(to_base64(plain) == coded);
    CHECK(from_base64(coded) == plain);
  }
  std::string all;
  for (int i = 0; i < 256; ++i) all += char(i);
  CHECK(from_base64(to_base64(all)) == all);
  for (const char* bad : {"Zg=", "Zg", "Z===", "Zm9v!m9v", "=Zm9", "Zg==Zg=="})
    CHECK_THROWS_AS(from_base64(bad), Error);
}
