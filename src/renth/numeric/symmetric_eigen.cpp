#include <renth/base/error.hpp>
#include <renth/numeric/lapack.hpp>
#include <renth/numeric/symmetric_eigen.hpp>
#include <vector>

namespace renth {
namespace {

/// Overwrites `m` with the vectors, if they are wanted.
Eigen::VectorXd decompose(Eigen::MatrixXd& m, bool vectors) {
  const int n = int(m.rows());
  Eigen::VectorXd values(n);
  if (n == 0) return values;
  int info = 0, room = -1;
  std::vector<double> work(1);
  const auto call = [&] {
    dsyev_(vectors ? "V" : "N", "L", &n, m.data(), &n, values.data(), work.data(), &room, &info, 1, 1);
  };
  call();  // asks how much room it wants
  room = int(work[0]);
  work.resize(std::size_t(room));
  call();
  if (info != 0)
    throw Error("the eigenvalues were not found", "a symmetric matrix", "are all values finite?",
                ErrorKind::machine);
  return values;
}

}  // namespace

SymmetricEigen symmetric_eigen(Eigen::MatrixXd m) {
  Eigen::VectorXd values = decompose(m, true);
  return {std::move(values), std::move(m)};
}

Eigen::VectorXd symmetric_eigenvalues(Eigen::MatrixXd m) {
  return decompose(m, false);
}

}  // namespace renth
