#include <algorithm>
#include <renth/surrogate/surrogate.hpp>

namespace renth {

Prediction predict_in_blocks(const Surrogate& surrogate, Points points, Want want, const Loop& loop) {
  constexpr Eigen::Index block = 1024;
  const Eigen::Index m = points.rows(), blocks = (m + block - 1) / block;
  if (blocks <= 1) return surrogate.predict(points, want);
  std::vector<Prediction> parts(static_cast<std::size_t>(blocks));
  const auto predict = [&](std::int64_t b) {
    parts[std::size_t(b)] =
        surrogate.predict(points.middleRows(Eigen::Index(b) * block,
                                            std::min<Eigen::Index>(block, m - Eigen::Index(b) * block)),
                          want);
  };
  predict(0);  // what is worked out when it is first needed, is so once
  loop(blocks - 1, [&](std::int64_t b) { predict(b + 1); });
  const Eigen::Index q = parts[0].mean.cols();
  Prediction all;
  all.degrees_of_freedom = parts[0].degrees_of_freedom;
  all.mean.resize(m, q);
  if (want.variance) {
    all.model_variance.resize(m, q);
    all.noise_variance.resize(m, q);
  }
  if (want.gradient) all.mean_gradient.assign(q, Eigen::MatrixXd(m, points.cols()));
  for (Eigen::Index b = 0; b < blocks; ++b) {
    const Prediction& part = parts[b];
    const Eigen::Index at = b * block, rows = part.mean.rows();
    all.mean.middleRows(at, rows) = part.mean;
    if (want.variance) {
      all.model_variance.middleRows(at, rows) = part.model_variance;
      all.noise_variance.middleRows(at, rows) = part.noise_variance;
    }
    for (std::size_t k = 0; k < all.mean_gradient.size(); ++k)
      all.mean_gradient[k].middleRows(at, rows) = part.mean_gradient[k];
  }
  return all;
}

}  // namespace renth
