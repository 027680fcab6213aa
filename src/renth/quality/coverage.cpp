#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/numeric/distributions.hpp>
#include <renth/quality/coverage.hpp>
#include <renth/surrogate/data.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// Calls visit(model, rows, prediction) for each fold: the model without it, its rows, and what it predicts
/// there.
template <class Visit>
void for_each_fold(const Data& data, const CrossValidation& cv, const Visit& visit) {
  std::vector<std::vector<Index>> rows(cv.models.size());
  for (std::size_t i = 0; i < cv.folds.of_run.size() && !rows.empty(); ++i)
    if (cv.folds.of_run[i] >= 0) rows[std::size_t(cv.folds.of_run[i])].push_back(Index(i));
  for (std::size_t f = 0; f < rows.size(); ++f)
    visit(*cv.models[f], rows[f],
          cv.models[f]->predict(Eigen::MatrixXd(data.inputs(rows[f], Eigen::all)), {.variance = true}));
}

}  // namespace

double left_out_coverage(const Data& data, const CrossValidation& cv, double level) {
  int inside = 0, count = 0;
  for_each_fold(data, cv, [&](const Surrogate& model, const std::vector<Index>& rows, const Prediction& p) {
    const Intervals bounds = model.intervals(p, level);
    for (Index r = 0; r < Index(rows.size()); ++r)
      for (Index k = 0; k < data.outputs.cols(); ++k) {
        // As if in the average block, which the bounds are of.
        const Index i = rows[std::size_t(r)];
        const double y = data.outputs(i, k) - (cv.predicted(i, k) - p.mean(r, k));
        if (!std::isfinite(y) || !std::isfinite(bounds.prediction_low(r, k))) continue;
        ++count;
        inside += y >= bounds.prediction_low(r, k) && y <= bounds.prediction_high(r, k);
      }
  });
  return count > 0 ? double(inside) / count : std::numeric_limits<double>::quiet_NaN();
}

double deviation_factor(const Data& data, const CrossValidation& cv) {
  if (data.size() < 15) return 1;
  // Errors of left-out runs over the deviations stated for them.
  std::vector<double> sizes;
  for_each_fold(data, cv, [&](const Surrogate&, const std::vector<Index>& rows, const Prediction& p) {
    for (Index r = 0; r < Index(rows.size()); ++r)
      for (Index k = 0; k < data.outputs.cols(); ++k) {
        const double variance = p.model_variance(r, k) + p.noise_variance(r, k),
                     error = data.outputs(rows[std::size_t(r)], k) - cv.predicted(rows[std::size_t(r)], k);
        if (variance > 0 && std::isfinite(error)) sizes.push_back(std::abs(error) / std::sqrt(variance));
      }
  });
  if (sizes.empty()) return 1;
  std::sort(sizes.begin(), sizes.end());
  // A little beyond 95 %: the runs that tell are those that were used to choose.
  constexpr double share_inside = 0.975;
  const double at = share_inside * double(sizes.size() + 1) - 1;
  const auto below = std::size_t(std::clamp<double>(std::floor(at), 0, double(sizes.size() - 1)));
  const std::size_t above = std::min(below + 1, sizes.size() - 1);
  const double between = std::clamp(at - double(below), 0.0, 1.0);
  const double width = sizes[below] + between * (sizes[above] - sizes[below]);
  const double found =
      std::clamp(width / student_t_width(0.95, double(std::max<Index>(1, data.size() - 1))), 0.6, 4.0);
  // A quantile of few runs is mostly chance: it is drawn towards what many plans needed on average.
  constexpr double usual = 1.15, runs_behind_it = 40;
  const double weight = double(data.size()) / (double(data.size()) + runs_behind_it);
  return std::exp(weight * std::log(found) + (1 - weight) * std::log(usual));
}

}  // namespace renth
