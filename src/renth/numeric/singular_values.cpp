#include <algorithm>
#include <renth/base/error.hpp>
#include <renth/numeric/lapack.hpp>
#include <renth/numeric/singular_values.hpp>
#include <vector>

namespace renth {

SingularValues singular_values(Eigen::MatrixXd a) {
  const int m = int(a.rows()), n = int(a.cols()), k = std::min(m, n);
  SingularValues out{Eigen::VectorXd(k), Eigen::MatrixXd(n, k)};
  if (k == 0) return out;
  Eigen::MatrixXd left(m, k), right(k, n);
  std::vector<int> whole(std::size_t(8 * k));
  std::vector<double> work(1);
  int info = 0;
  const auto call = [&](int size) {
    dgesdd_("S", &m, &n, a.data(), &m, out.values.data(), left.data(), &m, right.data(), &k, work.data(),
            &size, whole.data(), &info, 1);
  };
  call(-1);  // asks how much room it wants
  work.resize(std::size_t(work[0]));
  call(int(work.size()));
  if (info != 0)
    throw Error("the singular values were not found", "components", "are all values finite?",
                ErrorKind::machine);
  out.right = right.transpose();
  return out;
}

}  // namespace renth
