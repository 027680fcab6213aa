#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/base/undefined.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/predict/predictor.hpp>
#include <renth/problem/bound_values.hpp>
#include <utility>

namespace renth {
namespace {

constexpr Eigen::Index block_rows = 1024;

/// Calls part(begin, rows, number) for blocks of `m` rows, the first before the others: what surrogates work
/// out when it is first needed, is so once.
template <class Part>
void in_blocks(Eigen::Index m, const Loop& loop, const Part& part) {
  const Eigen::Index blocks = (m + block_rows - 1) / block_rows;
  const auto one = [&](std::int64_t b) {
    part(Eigen::Index(b) * block_rows, std::min<Eigen::Index>(block_rows, m - Eigen::Index(b) * block_rows),
         std::size_t(b));
  };
  one(0);
  loop(blocks - 1, [&](std::int64_t b) { one(b + 1); });
}

/// Matrices one below another.
Eigen::MatrixXd stack(const std::vector<Predictions>& parts, std::size_t response,
                      Eigen::MatrixXd ResponsePrediction::*which) {
  Eigen::Index rows = 0;
  for (const Predictions& p : parts) rows += (p.responses[response].*which).rows();
  Eigen::MatrixXd out(rows, (parts.front().responses[response].*which).cols());
  Eigen::Index at = 0;
  for (const Predictions& p : parts) {
    const Eigen::MatrixXd& m = p.responses[response].*which;
    out.middleRows(at, m.rows()) = m;
    at += m.rows();
  }
  return out;
}

}  // namespace

const ResponsePrediction* Predictions::of(int response) const {
  for (const ResponsePrediction& r : responses)
    if (r.response == response) return &r;
  return nullptr;
}

/// What one surrogate says of a block.
struct Predictor::Base {
  Prediction prediction;
  Intervals intervals;
};

Predictor::Predictor(std::shared_ptr<const Model> model, Loop loop)
    : model_(std::move(model)), loop_(std::move(loop)) {
  check_model(*model_);
  for (int k = 0; k < int(problem().responses.size()); ++k) ready_.push_back(model_->has(k));
}

Eigen::MatrixXd Predictor::mean_of(int response, Points points, int fold) const {
  need(response);
  if (const auto& part = model_->parts[std::size_t(response)]) {
    const Surrogate& asked = fold < 0 ? *part->surrogate : *part->folds.models()[std::size_t(fold)];
    return asked.predict(points).mean;
  }
  BoundValues values(problem(), points);
  for (const int k : sources_of(problem(), response)) values.set(k, mean_of(k, points, fold));
  values.derive({response});
  return values.response(response);
}

Eigen::MatrixXd Predictor::means_of_block(Points points, const std::vector<Expression>& conditions,
                                          const std::vector<int>& wanted) const {
  const std::vector<Response>& all = problem().responses;
  const std::size_t count = all.size(), first = problem().first_response();
  std::vector<int> shown;  // of the scalar ones
  for (int k = 0; k < int(count); ++k)
    if (!all[std::size_t(k)].is_curve() &&
        (wanted.empty() || std::count(wanted.begin(), wanted.end(), k) > 0))
      shown.push_back(k);
  // What they and the conditions are worked out from; curves only where something is.
  std::vector<char> used(count, false);
  const auto use = [&](int k) {
    if (!ready_[std::size_t(k)]) return;
    used[std::size_t(k)] = true;
    for (const int s : sources_of(problem(), k)) used[std::size_t(s)] = true;
  };
  for (const int k : shown) use(k);
  for (const Expression& condition : conditions)
    for (int k = 0; k < int(count); ++k)
      if (condition.uses(first + std::size_t(k))) use(k);
  std::vector<int> derived;
  BoundValues values(problem(), points);
  for (std::size_t k = 0; k < count; ++k) {
    if (!used[k]) continue;
    if (model_->parts[k])
      values.set(int(k), model_->parts[k]->surrogate->predict(points).mean);
    else
      derived.push_back(int(k));
  }
  if (!derived.empty()) values.derive(derived);
  Eigen::MatrixXd out =
      Eigen::MatrixXd::Constant(points.rows(), Eigen::Index(count + conditions.size()), undefined);
  for (const int k : shown)
    if (used[std::size_t(k)]) out.col(k) = values.response(k);
  for (std::size_t c = 0; c < conditions.size(); ++c)
    out.col(Eigen::Index(count + c)) = values.values(conditions[c]);
  return out;
}

Eigen::MatrixXd Predictor::means(Points points, const std::vector<Expression>& conditions,
                                 const std::vector<int>& wanted) const {
  check_points(problem().space, points);
  if (points.rows() <= block_rows) return means_of_block(points, conditions, wanted);
  Eigen::MatrixXd out(points.rows(), Eigen::Index(problem().responses.size() + conditions.size()));
  in_blocks(points.rows(), loop_, [&](Eigen::Index at, Eigen::Index rows, std::size_t) {
    out.middleRows(at, rows) = means_of_block(points.middleRows(at, rows), conditions, wanted);
  });
  return out;
}

ResponsePrediction Predictor::fitted(int response, Points points, const Base& base, double level,
                                     bool calibrated) const {
  ResponsePrediction r;
  r.response = response;
  r.mean = base.prediction.mean;
  r.sd = deviations(base.prediction.model_variance);
  r.confidence_low = base.intervals.confidence_low;
  r.confidence_high = base.intervals.confidence_high;
  r.prediction_low = base.intervals.prediction_low;
  r.prediction_high = base.intervals.prediction_high;
  const FoldModels& folds = model_->parts[std::size_t(response)]->folds;
  for (Eigen::Index q = 0; calibrated && q < r.mean.cols(); ++q) {
    const FoldModels::Bounds bounds = folds.calibrated(points, q, level);
    if (bounds.low.size() == 0) continue;
    if (r.calibrated_low.cols() == 0)
      r.calibrated_low = r.calibrated_high =
          Eigen::MatrixXd::Constant(r.mean.rows(), r.mean.cols(), undefined);
    r.calibrated_low.col(q) = bounds.low;
    r.calibrated_high.col(q) = bounds.high;
  }
  return r;
}

namespace {

/// A derived response at m points, and what becomes of it when what it is made of is a little different.
class Derivation {
 public:
  Derivation(const Problem& problem, int response, Points points)
      : response_(response), values_(problem, points) {}

  /// \param mean  m × q of one that it is made of.
  void set(int source, const Eigen::MatrixXd& mean) { values_.set(source, mean); }

  Eigen::ArrayXd value() {
    values_.derive({response_});
    return values_.response(response_).col(0);
  }
  /// Half of what it changes by when a source moves from `change` below to `change` above its mean (m × q).
  Eigen::ArrayXd half_change(int source, const Eigen::MatrixXd& mean, const Eigen::MatrixXd& change) {
    set(source, mean + change);
    const Eigen::ArrayXd above = value();
    set(source, mean - change);
    const Eigen::ArrayXd below = value();
    set(source, mean);
    return 0.5 * (above - below);
  }

 private:
  int response_;
  BoundValues values_;
};

}  // namespace

ResponsePrediction Predictor::derived(int response, Points points, const std::vector<Base>& base,
                                      double level) const {
  const std::vector<int> from = sources_of(problem(), response);
  Derivation derivation(problem(), response, points);
  for (const int s : from) derivation.set(s, base[std::size_t(s)].prediction.mean);
  const Eigen::ArrayXd mean = derivation.value();
  // By what the independent parts of the errors of a source change it; squares add up.
  const auto variance_from = [&](int s, const Eigen::MatrixXd& variance,
                                 Eigen::MatrixXd ErrorPart::*which) -> Eigen::ArrayXd {
    const Prediction& p = base[std::size_t(s)].prediction;
    const Eigen::MatrixXd deviation = deviations(variance);
    const auto change = [&](const Eigen::MatrixXd& by) -> Eigen::ArrayXd {
      return derivation.half_change(s, p.mean, by).square();
    };
    if (!problem().responses[std::size_t(s)].is_curve()) return change(deviation);
    Eigen::ArrayXd out = Eigen::ArrayXd::Zero(points.rows());
    if (!p.parts.empty()) {
      for (const ErrorPart& part : p.parts) out += change(part.*which);
      return out;
    }
    // How they go together is not known: as if they were the same all along, or each by itself, whichever is
    // worse (the same all along never moves a peak).
    for (Eigen::Index at = 0; at < deviation.cols(); ++at) {
      Eigen::MatrixXd there = Eigen::MatrixXd::Zero(deviation.rows(), deviation.cols());
      there.col(at) = deviation.col(at);
      out += change(there);
    }
    return change(deviation).max(out);
  };
  Eigen::ArrayXd variance = Eigen::ArrayXd::Zero(points.rows()), total = variance;
  double df = std::numeric_limits<double>::infinity();
  for (const int s : from) {
    const Prediction& p = base[std::size_t(s)].prediction;
    const Eigen::ArrayXd of_mean = variance_from(s, p.model_variance, &ErrorPart::model);
    variance += of_mean;
    total += of_mean + variance_from(s, p.noise_variance, &ErrorPart::noise);
    df = std::min(df, p.degrees_of_freedom);
  }
  const double t = student_t_width(level, df);
  const Eigen::ArrayXd sd = variance.sqrt(), of_a_run = total.sqrt();
  return {response, mean, sd, mean - t * sd, mean + t * sd, mean - t * of_a_run, mean + t * of_a_run, {}, {}};
}

Predictions Predictor::predict_block(Points points, double level, const PredictionsAsked& asked) const {
  Predictions out;
  out.points = points;
  if (asked.inside) out.inside = model_->coverage.inside_each(points);
  if (asked.inside && model_->feasibility) {
    const Eigen::VectorXd chance = model_->feasibility->predict(points).mean.col(0);
    for (Eigen::Index i = 0; i < chance.size(); ++i) out.failure_risk.push_back(1 - chance[i]);
  }
  const auto wanted = [&](int k) {
    const std::vector<int>& named = asked.responses;
    return has(k) && (named.empty() || std::find(named.begin(), named.end(), k) != named.end());
  };
  const int count = int(ready_.size());
  std::vector<bool> needed(ready_.size(), false), derived_from(ready_.size(), false);
  for (int k = 0; k < count; ++k)
    if (wanted(k))
      for (const int s : sources_of(problem(), k)) {
        needed[std::size_t(s)] = true;
        if (s != k) derived_from[std::size_t(s)] = true;
      }
  std::vector<Base> base(ready_.size());
  for (std::size_t k = 0; k < base.size(); ++k) {
    if (!needed[k]) continue;
    const Surrogate& surrogate = *model_->parts[k]->surrogate;
    base[k].prediction = surrogate.predict(points, {.variance = true, .parts = derived_from[k]});
    base[k].intervals = surrogate.intervals(base[k].prediction, level);
  }
  for (int k = 0; k < count; ++k) {
    if (!wanted(k)) continue;
    out.responses.push_back(model_->parts[std::size_t(k)]
                                ? fitted(k, points, base[std::size_t(k)], level, asked.calibrated)
                                : derived(k, points, base, level));
  }
  return out;
}

Eigen::MatrixXd Predictor::margins(Points points) const {
  check_points(problem().space, points);
  const std::vector<Limit>& limits = problem().space.limits();
  Eigen::MatrixXd out(points.rows(), Eigen::Index(limits.size()));
  Eigen::VectorXd point;
  for (Eigen::Index i = 0; i < points.rows(); ++i) {
    point = points.row(i);
    for (std::size_t l = 0; l < limits.size(); ++l) out(i, Eigen::Index(l)) = limits[l].margin(point.data());
  }
  return out;
}

Eigen::MatrixXd Predictor::covariance(int response, Points points, Eigen::Index output) const {
  need(response);
  if (const auto& part = model_->parts[std::size_t(response)])
    return part->surrogate->covariance(points, output);
  const std::vector<int> from = sources_of(problem(), response);
  Derivation derivation(problem(), response, points);
  std::vector<Prediction> base;
  for (const int s : from) {
    base.push_back(model_->parts[std::size_t(s)]->surrogate->predict(points, {.variance = true}));
    derivation.set(s, base.back().mean);
  }
  Eigen::MatrixXd out = Eigen::MatrixXd::Zero(points.rows(), points.rows());
  for (std::size_t i = 0; i < from.size(); ++i) {
    // One deviation to either side, of a curve the one in its middle all along.
    const Eigen::MatrixXd& mean = base[i].mean;
    const Eigen::Index middle = mean.cols() / 2;
    const Eigen::VectorXd deviation = deviations(base[i].model_variance).col(middle);
    const Eigen::ArrayXd half = derivation.half_change(from[i], mean, deviation.replicate(1, mean.cols()));
    const Eigen::VectorXd slope = (deviation.array() > 0).select(half / deviation.array(), 0);
    out += slope.asDiagonal() * model_->parts[std::size_t(from[i])]->surrogate->covariance(points, middle) *
           slope.asDiagonal();
  }
  return out;
}

void Predictor::need(int response) const {
  if (response < 0 || response >= int(ready_.size()))
    throw Error(fmt::format("there is no response {}", response), "responses",
                fmt::format("give 0 to {}", int(ready_.size()) - 1));
  if (!has(response))
    throw Error(problem().responses[std::size_t(response)].name + " cannot be predicted", "responses",
                "it, or what it is derived from, has no surrogate");
}

Predictions Predictor::predict(Points points, double level, const PredictionsAsked& asked) const {
  check_points(problem().space, points);
  if (!(level > 0 && level < 1))
    throw Error(fmt::format("the level must be between 0 and 1, not {}", level), "level",
                "give one between 0 and 1, such as 0.95");
  for (const int response : asked.responses) need(response);
  if (points.rows() <= block_rows) return predict_block(points, level, asked);
  std::vector<Predictions> parts(std::size_t((points.rows() + block_rows - 1) / block_rows));
  in_blocks(points.rows(), loop_, [&](Eigen::Index at, Eigen::Index rows, std::size_t b) {
    parts[b] = predict_block(points.middleRows(at, rows), level, asked);
  });
  Predictions out;
  out.points = points;
  for (const Predictions& p : parts) {
    out.inside.insert(out.inside.end(), p.inside.begin(), p.inside.end());
    out.failure_risk.insert(out.failure_risk.end(), p.failure_risk.begin(), p.failure_risk.end());
  }
  using R = ResponsePrediction;
  for (std::size_t k = 0; k < parts.front().responses.size(); ++k) {
    R r;
    r.response = parts.front().responses[k].response;
    for (const auto which : {&R::mean, &R::sd, &R::confidence_low, &R::confidence_high, &R::prediction_low,
                             &R::prediction_high, &R::calibrated_low, &R::calibrated_high})
      r.*which = stack(parts, k, which);
    out.responses.push_back(std::move(r));
  }
  return out;
}

}  // namespace renth
