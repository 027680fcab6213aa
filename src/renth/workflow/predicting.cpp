#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/numeric/distributions.hpp>
#include <renth/quality/calibrated.hpp>
#include <renth/workflow/fitting.hpp>
#include <renth/workflow/predicting.hpp>
#include <set>

namespace renth {
namespace {
constexpr double missing = std::numeric_limits<double>::quiet_NaN();
}

std::vector<int> Predictor::sources(int response) const {
  const Response& r = study_.responses[response];
  if (!r.derive) return {response};
  std::set<int> out;
  const std::size_t first = study_.symbols().size() - study_.responses.size();
  for (std::size_t k = 0; k < study_.responses.size(); ++k)
    if (static_cast<int>(k) != response && r.derive->uses(first + k))
      for (const int s : sources(static_cast<int>(k))) out.insert(s);
  return {out.begin(), out.end()};
}

Predictor::Predictor(Session& session, const std::vector<std::string>& needed)
    : study_(session.study),
      surrogates_(study_.responses.size()),
      data_(study_.responses.size()),
      ready_(study_.responses.size(), false),
      verdicts_(study_.responses.size(), Verdict::good),
      verdict_notes_(study_.responses.size()),
      coverage_(coverage_of(session)) {
  const auto load = [&](int index, bool must) {
    if (surrogates_[index]) return true;
    const Response& r = study_.responses[index];
    if (must)
      surrogates_[index] = need_surrogate(session, r, notes_);
    else
      surrogates_[index] = current_surrogate(session, r, notes_);
    if (!surrogates_[index]) return false;
    data_[index] = collect_data(session, r, {"fit", "confirm"});
    verdicts_[index] = note_verdict(session, r, *surrogates_[index], verdict_notes_[index]);
    return true;
  };
  std::set<int> wanted;
  for (const Response& r : chosen_responses(study_, needed, true)) wanted.insert(study_.response(r.name));
  for (const int index : wanted) {
    bool all = true;
    for (const int source : sources(index)) all = load(source, !needed.empty()) && all;
    ready_[index] = all;
    if (!all && !study_.responses[index].derive)
      add_note(notes_, "no_surrogate",
               fmt::format("{} has no surrogate: renth fit", study_.responses[index].name));
  }
  if (std::none_of(ready_.begin(), ready_.end(), [](bool b) { return b; }))
    throw Error("no response has a surrogate that matches the study", "study.db", "renth fit");
  for (std::size_t i = 0; i < ready_.size(); ++i)
    if (surrogates_[i]) ready_[i] = true;
}

Verdict Predictor::note_verdicts(int response, Notes& notes) const {
  Verdict worst = Verdict::good;
  for (const int s : sources(response)) {
    worst = std::max(worst, verdicts_[s]);
    for (const Note& n : verdict_notes_[s]) add_note(notes, n.code, n.text);
  }
  return worst;
}

double Predictor::derive(int response, const Eigen::VectorXd& point, std::vector<double>& numbers,
                         std::vector<Eigen::VectorXd>& curves) const {
  const std::size_t first = numbers.size() - study_.responses.size();
  for (Eigen::Index j = 0; j < point.size(); ++j) numbers[j] = point[j];
  // Derived responses stand after what they use, so file order is an order of evaluation.
  try {
    for (int k = 0; k <= response; ++k)
      if (study_.responses[k].derive && ready_[k] &&
          (k == response || study_.responses[response].derive->uses(first + k)))
        numbers[first + k] = k == response ? study_.responses[k].derive->value({numbers.data(), &curves})
                                           : derive(k, point, numbers, curves);
  } catch (const Error&) {
    return missing;  // a division by zero or the like: undefined here, and so null
  }
  return numbers[first + response];
}

namespace {

/// Room for the values of all symbols of a study, fixed parameters filled in.
std::vector<double> symbol_numbers(const Study& study) {
  std::vector<double> numbers(static_cast<std::size_t>(study.space.size()), 0);
  for (const double v : study.fixed_numbers()) numbers.push_back(v);
  numbers.resize(numbers.size() + study.responses.size(), missing);
  return numbers;
}

}  // namespace

void Predictor::bind(const std::vector<Eigen::MatrixXd>& of, Eigen::Index row, std::vector<double>& numbers,
                     std::vector<Eigen::VectorXd>& curves) const {
  const std::size_t first = numbers.size() - of.size();
  for (std::size_t k = 0; k < of.size(); ++k) {
    if (of[k].size() == 0) continue;
    if (study_.responses[k].axis >= 0)
      curves[first + k] = of[k].row(row).transpose();
    else
      numbers[first + k] = of[k](row, 0);
  }
}

Eigen::MatrixXd Predictor::mean_of(int response, Points points, int fold) const {
  if (const auto& s = surrogates_[response]) {
    const Surrogate& model = fold < 0 ? *s->surrogate : *s->cv.models[fold];
    return model.predict(points).mean;
  }
  const std::vector<double> blank = symbol_numbers(study_);
  std::vector<Eigen::MatrixXd> of(study_.responses.size());
  for (const int k : sources(response)) of[k] = mean_of(k, points, fold);
  Eigen::MatrixXd out(points.rows(), 1);
  std::vector<Eigen::VectorXd> curves(blank.size());
  for (Eigen::Index i = 0; i < points.rows(); ++i) {
    std::vector<double> numbers = blank;
    bind(of, i, numbers, curves);
    out(i, 0) = derive(response, points.row(i).transpose(), numbers, curves);
  }
  return out;
}

Eigen::MatrixXd Predictor::means(Points points, const std::vector<Expression>& conditions) const {
  const std::size_t count = study_.responses.size();
  Eigen::MatrixXd out =
      Eigen::MatrixXd::Constant(points.rows(), Eigen::Index(count + conditions.size()), missing);
  const std::vector<double> blank = symbol_numbers(study_);
  const std::size_t first = blank.size() - count;
  // Curves only where something is worked out from them.
  const auto used = [&](std::size_t k) {
    bool any = study_.responses[k].axis < 0;
    for (std::size_t j = 0; j < count; ++j)
      any = any || (study_.responses[j].derive && ready_[j] && study_.responses[j].derive->uses(first + k));
    for (const Expression& condition : conditions) any = any || condition.uses(first + k);
    return any;
  };
  std::vector<Eigen::MatrixXd> of(count);
  for (std::size_t k = 0; k < count; ++k)
    if (surrogates_[k] && used(k)) of[k] = surrogates_[k]->surrogate->predict(points).mean;
  std::vector<Eigen::VectorXd> curves(blank.size());
  for (Eigen::Index i = 0; i < points.rows(); ++i) {
    const Eigen::VectorXd point = points.row(i);
    std::vector<double> numbers = blank;
    bind(of, i, numbers, curves);
    for (std::size_t k = 0; k < count; ++k) {
      if (study_.responses[k].derive && ready_[k])
        numbers[first + k] = derive(static_cast<int>(k), point, numbers, curves);
      if (study_.responses[k].axis < 0) out(i, Eigen::Index(k)) = numbers[first + k];
    }
    std::copy_n(point.data(), point.size(), numbers.begin());
    for (std::size_t c = 0; c < conditions.size(); ++c) {
      try {
        out(i, Eigen::Index(count + c)) = conditions[c].margin({numbers.data(), &curves});
      } catch (const Error&) {
        // undefined at this point: does not hold
      }
    }
  }
  return out;
}

int Predictor::folds(int response) const {
  int fewest = std::numeric_limits<int>::max();
  for (const int s : sources(response))
    fewest = std::min(fewest, surrogates_[s] ? surrogates_[s]->cv.folds.count : 0);
  return fewest == std::numeric_limits<int>::max() ? 0 : fewest;
}

PredictResult Predictor::predict(Points points, double level) const {
  PredictResult out;
  out.notes = notes_;
  const std::size_t count = study_.responses.size();
  std::vector<Prediction> base(count);
  std::vector<Intervals> bounds(count);
  std::vector<std::vector<CalibratedIntervals>> calibrated(count);
  for (std::size_t k = 0; k < count; ++k) {
    if (!surrogates_[k]) continue;
    base[k] = predict_parallel(*surrogates_[k]->surrogate, points, {.variance = true});
    bounds[k] = surrogates_[k]->surrogate->intervals(base[k], level);
    // Calibration needs the very runs that were fitted.
    if (data_[k].ids.size() < surrogates_[k]->runs.size()) continue;
    std::vector<Eigen::Index> rows;
    for (const std::int64_t id : surrogates_[k]->runs) {
      const auto found = std::find(data_[k].ids.begin(), data_[k].ids.end(), id);
      if (found != data_[k].ids.end()) rows.push_back(found - data_[k].ids.begin());
    }
    if (rows.size() != surrogates_[k]->runs.size()) continue;
    const Data fitted = data_[k].data.rows(rows);
    for (Eigen::Index q = 0; q < base[k].mean.cols(); ++q)
      calibrated[k].push_back(calibrated_intervals(fitted, surrogates_[k]->cv, points, q, level));
  }
  const std::vector<double> blank = symbol_numbers(study_);
  const std::size_t first = blank.size() - count;
  for (Eigen::Index i = 0; i < points.rows(); ++i) {
    PredictedPoint p;
    p.point = points.row(i).transpose();
    p.inside = coverage_.inside(p.point);
    for (std::size_t k = 0; k < count; ++k) {
      if (!ready_[k]) continue;
      PredictedResponse r;
      r.response = study_.responses[k].name;
      if (surrogates_[k]) {
        for (Eigen::Index q = 0; q < base[k].mean.cols(); ++q) {
          r.mean.push_back(base[k].mean(i, q));
          r.sd.push_back(std::sqrt(std::max(0.0, base[k].model_variance(i, q))));
          r.confidence_low.push_back(bounds[k].confidence_low(i, q));
          r.confidence_high.push_back(bounds[k].confidence_high(i, q));
          r.prediction_low.push_back(bounds[k].prediction_low(i, q));
          r.prediction_high.push_back(bounds[k].prediction_high(i, q));
          if (q < Eigen::Index(calibrated[k].size()) && calibrated[k][q].low.size() > 0) {
            r.calibrated_low.push_back(calibrated[k][q].low[i]);
            r.calibrated_high.push_back(calibrated[k][q].high[i]);
          }
        }
        if (std::isnan(base[k].model_variance(i, 0))) r.sd[0] = missing;
      } else {
        // One standard deviation to either side of each source in turn, of one axis point or (-1) of all.
        const std::vector<int> from = sources(static_cast<int>(k));
        const auto value = [&](int moved, Eigen::Index at, double model, double noise) {
          std::vector<double> numbers = blank;
          std::vector<Eigen::VectorXd> curves(blank.size());
          for (const int s : from) {
            Eigen::VectorXd y = base[s].mean.row(i).transpose();
            if (s == moved) {
              const Eigen::ArrayXd step =
                  model * base[s].model_variance.row(i).transpose().array().max(0).sqrt() +
                  noise * (base[s].model_variance + base[s].noise_variance)
                              .row(i)
                              .transpose()
                              .array()
                              .max(0)
                              .sqrt();
              if (at < 0)
                y.array() += step;
              else
                y[at] += step[at];
            }
            if (study_.responses[s].axis >= 0)
              curves[first + s] = y;
            else
              numbers[first + s] = y[0];
          }
          return derive(static_cast<int>(k), p.point, numbers, curves);
        };
        // Errors that are the same all along a curve move its height but never its peak; those of single
        // points do.
        const auto variance_from = [&](int s, double model, double noise) {
          const auto moved = [&](Eigen::Index at) {
            return std::pow(0.5 * (value(s, at, model, noise) - value(s, at, -model, -noise)), 2);
          };
          double apart = 0;
          if (study_.responses[s].axis >= 0)
            for (Eigen::Index at = 0; at < base[s].mean.cols(); ++at) apart += moved(at);
          return std::max(moved(-1), apart);
        };
        double variance = 0, total = 0, df = std::numeric_limits<double>::infinity();
        for (const int s : from) {
          variance += variance_from(s, 1, 0);
          total += variance_from(s, 0, 1);
          df = std::min(df, base[s].degrees_of_freedom);
        }
        const double mean = value(-1, -1, 0, 0), t = student_t_width(level, df);
        r.mean = {mean};
        r.sd = {std::sqrt(variance)};
        r.confidence_low = {mean - t * std::sqrt(variance)};
        r.confidence_high = {mean + t * std::sqrt(variance)};
        r.prediction_low = {mean - t * std::sqrt(total)};
        r.prediction_high = {mean + t * std::sqrt(total)};
      }
      p.responses.push_back(std::move(r));
    }
    out.predictions.push_back(std::move(p));
  }
  for (std::size_t k = 0; k < count; ++k) {
    if (!ready_[k]) continue;
    note_verdicts(static_cast<int>(k), out.notes);
    const bool undefined =
        std::any_of(out.predictions.begin(), out.predictions.end(), [&](const PredictedPoint& p) {
          return std::any_of(p.responses.begin(), p.responses.end(), [&](const PredictedResponse& r) {
            return r.response == study_.responses[k].name && std::isnan(r.mean[0]);
          });
        });
    if (undefined)
      add_note(
          out.notes, "undefined",
          fmt::format("{} is undefined at some points (a division by zero, or the root of a negative number)",
                      study_.responses[k].name));
  }
  const auto outside = std::count_if(out.predictions.begin(), out.predictions.end(),
                                     [](const PredictedPoint& p) { return !p.inside; });
  if (outside > 0)
    add_note(
        out.notes, "outside",
        fmt::format(
            "{} of {} points lie outside the region that the runs cover: there the surrogate is guessing",
            outside, out.predictions.size()));
  return out;
}

}  // namespace renth
