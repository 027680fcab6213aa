#include <algorithm>
#include <cmath>
#include <renth/surrogate/process.hpp>
#include <renth/surrogate/sound.hpp>

namespace renth {

std::vector<double> Process::warm_start() const {
  std::vector<double> start;
  for (const double t : theta) start.push_back(std::log(t));
  if (nugget_is_noise) start.push_back(std::log(nugget));
  return start;
}

void Process::save(ArchiveWriter& out) const {
  save_space(out, space);
  out.count("kernel", static_cast<int>(kernel));
  out.text("trend", describe(space, trend));
  out.matrix("theta", theta);
  out.number("nugget", nugget);
  out.count("nugget is noise", nugget_is_noise);
  out.number("centre", centre);
  out.matrix("beta", beta);
  out.number("sigma2", sigma2);
}

void Process::load(ArchiveReader& in) {
  space = load_space(in);
  kernel = static_cast<Kernel>(std::clamp<std::int64_t>(in.count(), 0, kernel_count - 1));
  trend = parse_terms(space, in.text());
  theta = in.vector();
  nugget = in.number();
  nugget_is_noise = in.count() != 0;
  centre = in.number();
  beta = in.vector();
  sigma2 = in.number();
  need_sound(is_finite(theta, feature_lengths(space).back() + 1) && (theta.array() > 0).all() &&
             is_finite(beta, Eigen::Index(trend.size())) && std::isfinite(nugget) && nugget >= 0);
}

void correlation_matrix(Kernel kernel, const Eigen::MatrixXd& x, double nugget, Eigen::MatrixXd& k,
                        Eigen::MatrixXd* slope) {
  const Eigen::Index n = x.rows();
  k.resize(n, n);
  if (slope) slope->resize(n, n);
  Eigen::VectorXd point(x.cols());
  for (Eigen::Index j = 0; j < n; ++j) {
    k(j, j) = 1 + nugget;
    const Eigen::Index below = n - j - 1;
    if (below == 0) break;
    point = x.row(j);
    double* column = &k(j + 1, j);
    if (slope)
      kernels::correlations_and_slopes(kernel, point.data(), x.data() + j + 1, n, x.cols(), below, column,
                                       &(*slope)(j + 1, j));
    else
      kernels::correlations(kernel, point.data(), x.data() + j + 1, n, x.cols(), below, column);
  }
}

}  // namespace renth
