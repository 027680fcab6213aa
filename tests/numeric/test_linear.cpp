#include <doctest/doctest.h>

#include <Eigen/Cholesky>
#include <Eigen/LU>
#include <atomic>
#include <renth/base/error.hpp>
#include <renth/numeric/archive.hpp>
#include <renth/numeric/cholesky.hpp>
#include <renth/numeric/cholesky_inverse.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>

using namespace renth;

namespace {
Eigen::MatrixXd positive_definite(int n) {
  Stream stream(4, "matrix");
  Eigen::MatrixXd a(n, n);
  for (Eigen::Index i = 0; i < a.size(); ++i) a.data()[i] = stream.normal();
  return a * a.transpose() + Eigen::MatrixXd::Identity(n, n);
}
}  // namespace

TEST_CASE("factor, solves and inverse agree with one another") {
  for (const int n : {1, 2, 17, 130}) {
    CAPTURE(n);
    const Eigen::MatrixXd a = positive_definite(n);
    Eigen::MatrixXd l = a;
    REQUIRE(cholesky_in_place(l));
    const Eigen::MatrixXd lower = l.triangularView<Eigen::Lower>();
    CHECK((lower * lower.transpose() - a).norm() < 1e-11 * a.norm());
    Eigen::MatrixXd b = Eigen::MatrixXd::Identity(n, n);
    solve_lower(l, b);
    CHECK((lower * b - Eigen::MatrixXd::Identity(n, n)).norm() < 1e-10);
    solve_lower_transposed(l, b);
    CHECK((a * b - Eigen::MatrixXd::Identity(n, n)).norm() < 1e-9);
    inverse_from_cholesky(l);
    const Eigen::MatrixXd inverse = l.selfadjointView<Eigen::Lower>();
    CHECK((inverse - b).norm() < 1e-9 * b.norm());
  }
}

TEST_CASE("a matrix that is not positive definite is told") {
  Eigen::MatrixXd a = positive_definite(5);
  a(3, 3) = -1;
  CHECK_FALSE(cholesky_in_place(a));
}

TEST_CASE("an archive gives back every bit, and ends where it ends") {
  ArchiveWriter out;
  out.number("value", 0.1 + 0.2);
  out.number("value", -0.0);
  out.count("value", -7);
  out.text("value", "hull \"a\" \xc3\xa9");
  const Eigen::MatrixXd m = positive_definite(4);
  out.matrix("value", m);
  out.matrix("value", Eigen::MatrixXd(0, 3));
  const std::string bytes = out.take("", 0).bytes;
  ArchiveReader in(bytes);
  CHECK(in.number() == 0.1 + 0.2);
  CHECK(std::signbit(in.number()));
  CHECK(in.count() == -7);
  CHECK(in.text() == "hull \"a\" \xc3\xa9");
  CHECK(in.matrix() == m);
  CHECK(in.matrix().cols() == 3);
  CHECK_THROWS_AS(in.number(), Error);
}

TEST_CASE("an archive whose sizes are nonsense is refused, not believed") {
  ArchiveWriter out;
  out.count("value", 1'000'000'000);
  out.count("value", 1'000'000'000);
  const std::string bytes = out.take("", 0).bytes;
  CHECK_THROWS_AS(ArchiveReader(bytes).matrix(), Error);
  ArchiveWriter text;
  text.count("value", 1LL << 60);
  const std::string cut = text.take("", 0).bytes;
  CHECK_THROWS_AS(ArchiveReader(cut).text(), Error);
  ArchiveWriter two;
  two.matrix("value", Eigen::Vector3d(1, 2, 3));
  two.matrix("value", positive_definite(3));
  const std::string columns = two.take("", 0).bytes;
  ArchiveReader in(columns);
  CHECK(in.vector() == Eigen::Vector3d(1, 2, 3));
  CHECK_THROWS_AS(in.vector(), Error);  // a vector has one column
}

TEST_CASE("a parallel loop calls every index once, and passes an exception on") {
  for (const int threads : {1, 2, 4}) {
    const ParallelLimit limit(threads);
    std::vector<std::atomic<int>> calls(1000);
    parallel_for(1000, [&](std::int64_t i) { ++calls[i]; });
    for (const auto& c : calls) CHECK(c == 1);
    CHECK_THROWS_WITH_AS(parallel_for(100,
                                      [](std::int64_t i) {
                                        if (i == 57) throw Error("a problem", "", "");
                                      }),
                         "a problem", Error);
  }
}

TEST_CASE("an error says what, where and what to do") {
  const Error e("it broke", "here", "mend it", ErrorKind::solver);
  CHECK(std::string(e.what()) == "it broke: here: mend it");
  CHECK(e.kind() == ErrorKind::solver);
  CHECK(std::string(Error("it broke", "", "mend it").what()) == "it broke: mend it");
}
