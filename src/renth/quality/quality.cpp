#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/base/undefined.hpp>
#include <renth/fit/blocks.hpp>
#include <renth/fit/kriging_fit.hpp>
#include <renth/fit/replicates.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/quality/quality.hpp>
#include <renth/surrogate/along.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kinds.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <renth/terms/block_columns.hpp>

namespace renth {
namespace {

/// Sums over the entries of one output that are there and predicted.
struct Sums {
  double total = 0, error = 0, worst = 0, percent = 0;
  int count = 0;

  /// \param centre  what the variation of each is counted from.
  static Sums of(const Eigen::VectorXd& y, const Eigen::VectorXd& predicted, const Eigen::VectorXd& centre,
                 double largest) {
    Sums s;
    for (Eigen::Index i = 0; i < y.size(); ++i) {
      if (!std::isfinite(y[i]) || !std::isfinite(predicted[i])) continue;
      const double e = y[i] - predicted[i];
      s.total += (y[i] - centre[i]) * (y[i] - centre[i]);
      s.error += e * e;
      s.worst = std::max(s.worst, std::abs(e));
      s.percent += percent_error(std::abs(e), y[i], largest);
      ++s.count;
    }
    return s;
  }
  void add(const Sums& o) {
    total += o.total;
    error += o.error;
    worst = std::max(worst, o.worst);
    percent += o.percent;
    count += o.count;
  }
  double r2() const { return total > 0 ? 1 - error / total : undefined; }
  double rmse() const { return count > 0 ? std::sqrt(error / count) : undefined; }
};

double largest_of(const Eigen::VectorXd& y) {
  double most = 0;
  for (const double v : y)
    if (std::isfinite(v)) most = std::max(most, std::abs(v));
  return most;
}

/// Over all outputs. \param centre  block_means() of the data.
Sums over_outputs(const Data& data, const Eigen::MatrixXd& predicted, const Eigen::MatrixXd& centre) {
  Sums out;
  for (Eigen::Index k = 0; k < data.outputs.cols(); ++k) {
    const Eigen::VectorXd y = data.outputs.col(k);
    out.add(Sums::of(y, predicted.col(k), centre.col(k), largest_of(y)));
  }
  return out;
}

int count_blocks(const Data& data) {
  return 1 + int(BlockColumns(data.blocks).size());
}

/// Runs of which no output is predicted.
int rows_without(const Eigen::MatrixXd& predicted) {
  return int((predicted.array().isFinite().rowwise().count() == 0).count());
}

CheckQuality on_check(const Surrogate& surrogate, const Data& check, double level) {
  CheckQuality out;
  const Prediction p = predict_in_blocks(surrogate, check.inputs, {.variance = true}, parallel_for);
  const Intervals bounds = surrogate.intervals(p, level), judged = surrogate.intervals(p, 0.95);
  const Sums sums = over_outputs(check, p.mean, block_means(check));
  int inside = 0, inside_95 = 0;
  for (Eigen::Index k = 0; k < check.outputs.cols(); ++k) {
    const Eigen::VectorXd y = check.outputs.col(k);
    for (Eigen::Index i = 0; i < y.size(); ++i) {
      // Rounding must not throw out a run that an interpolating model meets.
      const double slack = 1e-9 * (std::abs(y[i]) + std::abs(p.mean(i, k)));
      const auto within = [&](const Intervals& in) {
        return y[i] >= in.prediction_low(i, k) - slack && y[i] <= in.prediction_high(i, k) + slack;
      };
      inside += within(bounds);
      inside_95 += within(judged);
    }
  }
  out.runs = static_cast<int>(check.size());
  out.r2 = sums.r2();
  out.rmse = sums.rmse();
  out.max_abs_error = sums.worst;
  out.mean_abs_percent = sums.percent / sums.count;
  out.inside = static_cast<double>(inside) / sums.count;
  out.inside_95 = static_cast<double>(inside_95) / sums.count;
  return out;
}

/// What only a single polynomial has.
void polynomial_figures(const Polynomial& model, const Data& data, const Sums& fitted, double level,
                        Quality& q) {
  const double n = q.runs, df = model.state().degrees_of_freedom,
               left = model.state().freedom.size() > 0 ? n - double(model.state().terms.size()) : df;
  const auto report = std::make_shared<const RegressionReport>(report_regression(model, data, level));
  q.residual_degrees_of_freedom = df;
  q.sigma = std::sqrt(model.state().sigma2);
  q.r2_adjusted = left > 0 && fitted.total > 0
                      ? 1 - (fitted.error / left) / (fitted.total / (n - count_blocks(data)))
                      : undefined;
  q.press = 0;
  for (Eigen::Index i = 0; i < data.size(); ++i)
    q.press +=
        std::pow(data.outputs(i, 0) - model.state().transform.back(report->diagnostics.left_out[i]), 2);
  q.r2_predicted = fitted.total > 0 ? 1 - q.press / fitted.total : undefined;
  q.lack_of_fit_p = report->anova.lack_of_fit_p;
  q.regression = report;
}

}  // namespace

double percent_error(double error, double value, double largest) {
  if (error == 0) return 0;
  return 100 * error / std::max(std::abs(value), 0.01 * largest);
}

PredictiveError predictive_error(const Data& data, const CrossValidation& cv) {
  const Sums crossed = over_outputs(data, cv.predicted, block_means(data));
  return {crossed.r2(), crossed.rmse()};
}

Quality measure_quality(const Space& space, const Surrogate& surrogate, const Data& data,
                        const CrossValidation& cv, const Data* check, double level) {
  if (cv.predicted.rows() != data.outputs.rows() || cv.predicted.cols() != data.outputs.cols())
    throw Error("the cross-validation is of other runs or outputs", "cross-validation",
                "give that of these runs");
  Quality q;
  q.runs = static_cast<int>(data.size());
  q.folds = cv.folds.count;
  q.folds_refitted = data.size() <= most_sought_in_folds || !holds_kriging(surrogate);
  const Prediction p = predict_in_blocks(surrogate, data.inputs, {.variance = true}, parallel_for);
  const Eigen::MatrixXd mean = with_block_effects(surrogate, space, data, data, p.mean),
                        centre = block_means(data);
  const Sums fitted = over_outputs(data, mean, centre), crossed = over_outputs(data, cv.predicted, centre);
  for (Eigen::Index k = 0; data.outputs.cols() > 1 && k < data.outputs.cols(); ++k) {
    const Eigen::VectorXd y = data.outputs.col(k);
    const double largest = largest_of(y);
    const Sums c = Sums::of(y, cv.predicted.col(k), centre.col(k), largest);
    q.along.push_back({Sums::of(y, mean.col(k), centre.col(k), largest).r2(), c.r2(), c.rmse()});
  }
  q.r2 = fitted.r2();
  q.rmse = fitted.rmse();
  q.max_abs_error = fitted.worst;
  q.mean_abs_percent = fitted.percent / fitted.count;
  q.q2 = crossed.r2();
  q.rmse_cv = crossed.rmse();
  q.not_left_out = rows_without(cv.predicted);
  q.replicates_split = settings_in_several_folds(data, cv.folds);
  if (2 * q.not_left_out > q.runs) q.q2 = q.rmse_cv = undefined;  // the few that are left say little
  q.sigma = std::sqrt(p.noise_variance.mean());
  q.r2_adjusted = q.r2_predicted = q.press = q.lack_of_fit_p = undefined;
  q.residual_degrees_of_freedom = p.degrees_of_freedom;
  if (data.outputs.cols() == 1 && fitted.total > 0)
    q.reachable =
        1 - pure_error(data, data.outputs.col(0), Eigen::VectorXd::Ones(data.size())).ss / fitted.total;
  if (const auto* polynomial = polynomial_of(surrogate))
    polynomial_figures(*polynomial, data, fitted, level, q);
  q.level = level;
  if (check && check->size() > 0) q.check = on_check(surrogate, *check, level);
  return q;
}

}  // namespace renth
