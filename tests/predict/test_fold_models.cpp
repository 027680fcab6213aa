#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <renth/numeric/random.hpp>
#include <renth/predict/fold_models.hpp>
#include <support_surrogates.hpp>

using namespace renth;
using namespace renth::test;

namespace {

/// The quantiles of equation 1.6 by sorting everything.
std::pair<double, double> by_sorting(const FoldModels& folds, const Eigen::MatrixXd& point, double level) {
  std::vector<double> low, high;
  for (std::size_t i = 0; i < folds.fold().size(); ++i) {
    const double error = folds.error()(Eigen::Index(i), 0);
    if (!std::isfinite(error)) continue;
    const double mean = folds.models()[std::size_t(folds.fold()[i])]->predict(point).mean(0, 0);
    low.push_back(mean - error);
    high.push_back(mean + error);
  }
  std::sort(low.begin(), low.end());
  std::sort(high.begin(), high.end());
  const auto upper = std::size_t(std::ceil(level * double(high.size() + 1))) - 1;
  return {low[low.size() - 1 - upper], high[upper]};
}

}  // namespace

TEST_CASE("calibrated bounds found by counting are those found by sorting") {
  for (const int folds : {1, 3, 10, 57}) {
    CAPTURE(folds);
    Stream stream(1, "errors", std::uint64_t(folds));
    const int n = 57;
    FoldModels::Models models;
    for (int f = 0; f < folds; ++f)
      models.push_back(std::make_shared<Plane>(stream.normal(), stream.normal() * Eigen::VectorXd::Ones(2)));
    std::vector<int> fold;
    Eigen::MatrixXd error(n, 1);
    for (int i = 0; i < n; ++i) {
      fold.push_back(i % folds);
      // Some ties, some gaps.
      error(i, 0) = i % 9 == 0 ? NAN : i % 5 == 0 ? 0.25 : std::abs(stream.normal());
    }
    const FoldModels whole(models, fold, error);
    Eigen::MatrixXd points(20, 2);
    for (double& x : points.reshaped()) x = stream.uniform();
    for (const double level : {0.5, 0.8, 0.95}) {
      const FoldModels::Bounds bounds = whole.calibrated(points, 0, level);
      REQUIRE(bounds.low.size() == 20);
      for (Eigen::Index i = 0; i < 20; ++i) {
        const auto [low, high] = by_sorting(whole, points.row(i), level);
        CHECK(bounds.low[i] == low);
        CHECK(bounds.high[i] == high);
      }
    }
    CHECK(whole.calibrated(points, 0, 0.999).low.size() == 0);  // too few runs
  }
}
