#include <algorithm>
#include <renth/numeric/lapack.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/tall_qr.hpp>
#include <vector>

namespace renth {
namespace {

using Eigen::Index;
constexpr Index cached_rows = 512, chunk_rows = 16 * cached_rows;

/// Adds rows to a factor: R of [r; rows], left in the upper triangle of `r`.
void absorb(Eigen::MatrixXd& r, const Eigen::Ref<const Eigen::MatrixXd>& rows) {
  const Index p = r.cols(), m = p + rows.rows(), width = std::min<Index>(p, 32);
  Eigen::MatrixXd stack(m, p), t(width, p), work(width, p);
  stack.topRows(p) = r.triangularView<Eigen::Upper>();
  stack.bottomRows(rows.rows()) = rows;
  const int rows_of = int(m), columns = int(p), block = int(width);
  int info = 0;
  dgeqrt_(&rows_of, &columns, &block, stack.data(), &rows_of, t.data(), &block, work.data(), &info);
  r = stack.topRows(p).triangularView<Eigen::Upper>();
}

}  // namespace

Eigen::MatrixXd triangular_factor(const Eigen::MatrixXd& x) {
  const Index n = x.rows(), p = x.cols(), chunks = (n + chunk_rows - 1) / chunk_rows;
  Eigen::MatrixXd r = Eigen::MatrixXd::Zero(p, p);
  if (p == 0) return r;
  std::vector<Eigen::MatrixXd> factors(static_cast<std::size_t>(chunks), r);
  parallel_for(chunks, [&](std::int64_t c) {
    const Index end = std::min(n, (c + 1) * chunk_rows);
    for (Index i = c * chunk_rows; i < end; i += cached_rows)
      absorb(factors[std::size_t(c)], x.middleRows(i, std::min(cached_rows, end - i)));
  });
  if (chunks > 0) r = factors[0];
  for (std::size_t c = 1; c < factors.size(); ++c) absorb(r, factors[c]);
  for (Index j = 0; j < p; ++j)
    if (r(j, j) < 0) r.row(j) *= -1;
  return r;
}

Eigen::VectorXd hat_diagonal(const Eigen::MatrixXd& x, const Eigen::MatrixXd& r) {
  const Index n = x.rows(), p = x.cols();
  Eigen::VectorXd out(n);
  parallel_for((n + cached_rows - 1) / cached_rows, [&](std::int64_t c) {
    const Index begin = c * cached_rows, m = std::min(cached_rows, n - begin);
    Eigen::MatrixXd rows = x.middleRows(begin, m);
    const int rows_of = int(m), columns = int(p);
    const double one = 1;
    dtrsm_("R", "U", "N", "N", &rows_of, &columns, &one, r.data(), &columns, rows.data(), &rows_of, 1, 1, 1,
           1);
    out.segment(begin, m) = rows.rowwise().squaredNorm();
  });
  return out;
}

}  // namespace renth
