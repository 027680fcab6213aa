#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/numeric/distributions.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/quality/coverage.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;
constexpr double no_score = std::numeric_limits<double>::quiet_NaN();

/// Rows of each fold.
std::vector<std::vector<Index>> rows_of_folds(const CrossValidation& cv) {
  std::vector<std::vector<Index>> out(std::size_t(cv.folds.count));
  for (std::size_t i = 0; i < cv.folds.of_run.size(); ++i)
    out[std::size_t(cv.folds.of_run[i])].push_back(Index(i));
  return out;
}

}  // namespace

Eigen::MatrixXd left_out_scores(const Data& data, const CrossValidation& cv) {
  Eigen::MatrixXd out = Eigen::MatrixXd::Constant(data.size(), data.outputs.cols(), no_score);
  const auto rows = rows_of_folds(cv);
  parallel_for(cv.folds.count, [&](std::int64_t f) {
    if (std::size_t(f) >= cv.models.size() || rows[std::size_t(f)].empty()) return;
    const Prediction p = cv.models[std::size_t(f)]->predict(
        Eigen::MatrixXd(data.inputs(rows[std::size_t(f)], Eigen::all)), {.variance = true});
    for (std::size_t r = 0; r < rows[std::size_t(f)].size(); ++r)
      for (Index k = 0; k < data.outputs.cols(); ++k) {
        const Index i = rows[std::size_t(f)][r];
        const double variance = p.model_variance(Index(r), k) + p.noise_variance(Index(r), k);
        if (variance > 0 && std::isfinite(data.outputs(i, k)))
          out(i, k) = (data.outputs(i, k) - p.mean(Index(r), k)) / std::sqrt(variance);
      }
  });
  return out;
}

double left_out_coverage(const Data& data, const CrossValidation& cv, double level) {
  int inside = 0, count = 0;
  const auto rows = rows_of_folds(cv);
  for (std::size_t f = 0; f < cv.models.size(); ++f) {
    if (rows[f].empty()) continue;
    const Eigen::MatrixXd points = data.inputs(rows[f], Eigen::all);
    const Prediction p = cv.models[f]->predict(points, {.variance = true});
    const Intervals bounds = cv.models[f]->intervals(p, level);
    for (std::size_t r = 0; r < rows[f].size(); ++r)
      for (Index k = 0; k < data.outputs.cols(); ++k) {
        const double y = data.outputs(rows[f][r], k);
        if (!std::isfinite(y) || !std::isfinite(bounds.prediction_low(Index(r), k))) continue;
        ++count;
        inside += y >= bounds.prediction_low(Index(r), k) && y <= bounds.prediction_high(Index(r), k);
      }
  }
  return count > 0 ? double(inside) / count : no_score;
}

double deviation_factor(const Data& data, const CrossValidation& cv) {
  const Eigen::MatrixXd scores = left_out_scores(data, cv);
  std::vector<double> sizes;
  for (const double z : scores.reshaped())
    if (std::isfinite(z)) sizes.push_back(std::abs(z));
  if (data.size() < 15 || sizes.empty()) return 1;
  std::sort(sizes.begin(), sizes.end());
  // A little beyond 95 %: the runs that tell are those that were used to choose.
  constexpr double share_inside = 0.975;
  const double at = share_inside * double(sizes.size() + 1) - 1;
  const auto below = std::size_t(std::clamp<double>(std::floor(at), 0, double(sizes.size() - 1)));
  const std::size_t above = std::min(below + 1, sizes.size() - 1);
  const double between = std::clamp(at - double(below), 0.0, 1.0);
  const double width = sizes[below] + between * (sizes[above] - sizes[below]);
  return std::clamp(width / student_t_width(0.95, double(std::max<Index>(1, data.size() - 1))), 0.6, 4.0);
}

}  // namespace renth
