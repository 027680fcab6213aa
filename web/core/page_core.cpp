// renth::predict for the page: plain functions over numbers, called from JavaScript. Points come and answers
// go row by row; the memory is the caller's.
#include <cstdint>
#include <cstring>
#include <memory>
#include <optional>
#include <renth/base/error.hpp>
#include <renth/numeric/sobol_sequence.hpp>
#include <renth/predict/model_file.hpp>
#include <renth/predict/predictor.hpp>
#include <renth/space/region.hpp>
#include <renth/space/scatter.hpp>
#include <string>

namespace {

using namespace renth;
using RowMajor = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
using RowMap = Eigen::Map<RowMajor>;

/// The one model of the page.
struct Page {
  std::shared_ptr<const Model> model;
  std::unique_ptr<Predictor> predictor;
  std::vector<int> responses;  // those that the model has
  Eigen::Index outputs = 0;
};
Page page;
std::string failure;

const Problem& problem() {
  return page.model->problem;
}

Eigen::MatrixXd points_of(const double* points, int m) {
  return Eigen::Map<const RowMajor>(points, m, problem().space.size());
}

/// 0, or −1 with the reason in failure().
template <class Body>
int guarded(const Body& body) {
  try {
    body();
    return 0;
  } catch (const std::exception& e) {
    failure = e.what();
    return -1;
  }
}

}  // namespace

extern "C" {

const char* renth_failure() {
  return failure.c_str();
}

int renth_load(const char* text, int size) {
  return guarded([&] {
    page = {};
    page.model = std::make_shared<Model>(read_model(std::string_view(text, std::size_t(size)), "the page"));
    page.predictor = std::make_unique<Predictor>(page.model);
    for (int k = 0; k < int(problem().responses.size()); ++k)
      if (page.predictor->has(k)) {
        page.responses.push_back(k);
        page.outputs += problem().outputs(problem().responses[std::size_t(k)]);
      }
  });
}

/// Columns of renth_means(): of each response that is predicted one, or one an axis point.
int renth_outputs() {
  return int(page.outputs);
}
/// Is the k-th response of the problem predicted?
int renth_has(int response) {
  return page.predictor->has(response) ? 1 : 0;
}

/// Means alone (m × outputs).
int renth_means(const double* points, int m, double* out) {
  return guarded([&] {
    const Eigen::MatrixXd x = points_of(points, m);
    RowMap to(out, m, page.outputs);
    Eigen::Index at = 0;
    for (const int k : page.responses) {
      const Eigen::MatrixXd y = page.predictor->mean_of(k, x);
      to.middleCols(at, y.cols()) = y;
      at += y.cols();
    }
  });
}

/// mean, sd, bounds of the mean and of a run, calibrated ones (NaN: none) of each output: m × outputs × 8;
/// whether points lie within what the runs cover (m). \param calibrated  0: leave them out, they ask every
/// fold.
int renth_predict(const double* points, int m, double level, int calibrated, double* out, int* inside) {
  return guarded([&] {
    const Eigen::MatrixXd x = points_of(points, m);
    const Predictions p = page.predictor->predict(x, level, {{}, calibrated != 0, true});
    for (int i = 0; i < m; ++i) {
      inside[i] = p.inside[std::size_t(i)];
      double* at = out + Eigen::Index(i) * page.outputs * 8;
      for (const ResponsePrediction& r : p.responses)
        for (Eigen::Index q = 0; q < r.mean.cols(); ++q, at += 8) {
          const bool has = r.calibrated_low.cols() > 0;
          const double values[8] = {r.mean(i, q),
                                    r.sd(i, q),
                                    r.confidence_low(i, q),
                                    r.confidence_high(i, q),
                                    r.prediction_low(i, q),
                                    r.prediction_high(i, q),
                                    has ? r.calibrated_low(i, q) : NAN,
                                    has ? r.calibrated_high(i, q) : NAN};
          std::memcpy(at, values, sizeof values);
        }
    }
  });
}

/// Standard deviations alone, of chosen responses' first outputs (m × count).
int renth_deviations(const double* points, int m, const int* which, int count, double level, double* low,
                     double* high) {
  return guarded([&] {
    const Eigen::MatrixXd x = points_of(points, m);
    const Predictions p =
        page.predictor->predict(x, level, {std::vector<int>(which, which + count), false, false});
    for (int i = 0; i < m; ++i)
      for (int k = 0; k < count; ++k) {
        const ResponsePrediction& r = *p.of(which[k]);
        low[i * count + k] = r.confidence_low(i, 0);
        high[i * count + k] = r.confidence_high(i, 0);
      }
  });
}

/// Margins of the limits between parameters (m × limits): ≥ 0 holds.
int renth_margins(const double* points, int m, double* out) {
  return guarded([&] {
    const Eigen::MatrixXd margins = page.predictor->margins(points_of(points, m));
    RowMap(out, m, margins.cols()) = margins;
  });
}

/// The chance that the solver fails (m); −1 if none was learned.
int renth_risk(const double* points, int m, double* out) {
  return guarded([&] {
    if (!page.model->feasibility)
      for (int i = 0; i < m; ++i) out[i] = -1;
    else
      Eigen::Map<Eigen::VectorXd>(out, m) =
          1 - page.model->feasibility->predict(points_of(points, m)).mean.col(0).array();
  });
}

/// Settings spread over the box, limits or not (m × d).
int renth_spread(int m, int settable, double* out) {
  return guarded([&] {
    const Space& space = problem().space;
    const Eigen::MatrixXd u = scrambled_sobol_points(m, space.size(), 1, "page");
    RowMap to(out, m, space.size());
    for (Eigen::Index j = 0; j < space.size(); ++j)
      for (int i = 0; i < m; ++i) to(i, j) = space.from_unit(j, u(i, j), settable != 0);
  });
}

/// What a setting becomes in production (m × d); fails where nothing scatters.
int renth_drift(const double* setting, int m, double* out) {
  return guarded([&] {
    const ScatterDraw draw(problem().space);
    if (draw.dimensions() == 0) throw Error("no parameter has scatter", "page", "give one some");
    const Eigen::MatrixXd u =
        scrambled_sobol_points(m, draw.dimensions(), 1, "page drift").cwiseMax(1e-15).cwiseMin(1 - 1e-15);
    RowMap(out, m, problem().space.size()) = draw.around(points_of(setting, 1), u);
  });
}

}  // extern "C"
