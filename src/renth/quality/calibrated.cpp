#include <algorithm>
#include <cmath>
#include <renth/quality/calibrated.hpp>

namespace renth {

CalibratedIntervals calibrated_intervals(const Data& data, const CrossValidation& cv, Points points,
                                         Eigen::Index output, double level) {
  std::vector<Eigen::Index> used;
  for (Eigen::Index i = 0; i < data.size(); ++i)
    if (std::isfinite(data.outputs(i, output))) used.push_back(i);
  const auto n = static_cast<double>(used.size());
  const auto upper = static_cast<Eigen::Index>(std::ceil(level * (n + 1))) - 1;
  CalibratedIntervals out;
  if (upper >= Eigen::Index(used.size()) || cv.models.empty()) return out;
  const Eigen::Index lower = Eigen::Index(used.size()) - 1 - upper;

  std::vector<Eigen::VectorXd> by_fold;
  for (const auto& model : cv.models) by_fold.emplace_back(model->predict(points).mean.col(output));
  out.low.resize(points.rows());
  out.high.resize(points.rows());
  std::vector<double> below(used.size()), above(used.size());
  for (Eigen::Index p = 0; p < points.rows(); ++p) {
    for (std::size_t k = 0; k < used.size(); ++k) {
      const Eigen::Index i = used[k];
      const double error = std::abs(data.outputs(i, output) - cv.predicted(i, output));
      const double mean = by_fold[cv.folds.of_run[i]][p];
      below[k] = mean - error;
      above[k] = mean + error;
    }
    std::nth_element(below.begin(), below.begin() + lower, below.end());
    std::nth_element(above.begin(), above.begin() + upper, above.end());
    out.low[p] = below[lower];
    out.high[p] = above[upper];
  }
  return out;
}

}  // namespace renth
