#include <doctest/doctest.h>

#include <algorithm>
#include <renth/base/error.hpp>
#include <renth/fit/fit.hpp>
#include <renth/fit/kriging_fit.hpp>
#include <renth/fit/methods.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/quality/coverage.hpp>
#include <renth/quality/learning.hpp>
#include <renth/selection/choose.hpp>
#include <renth/selection/idle.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kinds.hpp>
#include <renth/surrogate/kriging.hpp>
#include <renth/surrogate/kriging_ensemble.hpp>
#include <renth/surrogate/rescaled.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {

double stated_q2(const Data& data, const FittedResponse& fitted) {
  return predictive_error(data, fitted.cv).q2;
}

double true_q2(const Space& space, const FittedResponse& fitted,
               const std::function<double(const Eigen::VectorXd&)>& f) {
  const Data fresh = data_of(sample_region(space, 1000, Values::physical, 99, "fresh"), f);
  const double sst = (fresh.outputs.array() - fresh.outputs.mean()).square().sum();
  return 1 - (fitted.surrogate->predict(fresh.inputs).mean - fresh.outputs).squaredNorm() / sst;
}

}  // namespace

TEST_CASE("where all is noise the choice among many does not pretend to predict" *
          doctest::test_suite("long")) {
  const Space space = cube(3);
  double sum = 0;
  for (Seed seed = 1; seed <= 6; ++seed) {
    Stream noise(seed, "noise");
    const Data data = data_of(
        spread_out(space, 24, seed), [&](const Eigen::VectorXd&) { return noise.normal(); }, true);
    sum += stated_q2(data, fit_response(space, data, {.seed = seed})) / 6;
  }
  // The best candidate's own cross-validation would be above zero more often than not.
  CHECK(sum < 0.02);
}

TEST_CASE("every candidate is listed, on the same folds, and the winner predicts" *
          doctest::test_suite("long")) {
  const Space space = cube(2);
  const auto wavy = [](const Eigen::VectorXd& x) { return std::sin(9 * x[0]) * std::cos(7 * x[1]); };
  const Data data = data_of(spread_out(space, 40, 2), wavy);
  int called = 0;
  ChoosingOptions options;
  options.progress = [&](int done, int total, const std::string& name) {
    CHECK(done <= total);
    CHECK_FALSE(name.empty());
    ++called;
  };
  const FittedResponse fitted = fit_response(space, data, {.choosing = options});
  CHECK(called == int(fitted.tried.size()));
  for (const char* kind : {"polynomial", "chaos", "kriging", "rbf", "moving", "blend"})
    CHECK(std::any_of(fitted.tried.begin(), fitted.tried.end(),
                      [&](const Tried& t) { return t.kind == kind; }));
  CHECK(fitted.cv.models.size() == 40);
  CHECK(true_q2(space, fitted, wavy) > 0.9);
  // Left-out runs at the rim are hard: the stated figure is rather too low, never much too high.
  CHECK(stated_q2(data, fitted) - true_q2(space, fitted, wavy) < 0.03);
  CHECK(stated_q2(data, fitted) > 0.7);
}

TEST_CASE("of candidates that are as good the simplest is taken, and says so" * doctest::test_suite("long")) {
  const Space space = cube(3);
  int simpler = 0;
  for (Seed seed = 1; seed <= 8; ++seed) {
    CAPTURE(seed);
    Stream noise(seed, "noise");
    const auto plane = [&](const Eigen::VectorXd& x) { return 2 * x[0] - x[1] + 0.3 * noise.normal(); };
    const Data data = data_of(spread_out(space, 60, seed), plane, true);
    const FittedResponse fitted = fit_response(space, data);
    double best = -1;
    for (const Tried& t : fitted.tried) best = std::max(best, t.q2);
    for (const Tried& t : fitted.tried) {
      if (t.kind != fitted.surrogate->kind() || t.settings != fitted.settings || t.q2 == best) continue;
      ++simpler;
      CHECK(fitted.why.find("is the simplest of") != std::string::npos);
      if (t.kind != "kriging") CHECK((1 - t.q2) <= (1 - best) * 1.05 * 1.05 * (1 + 1e-12));
    }
  }
  CHECK(simpler >= 2);
}

TEST_CASE("kriging is left for a less simple kind only if that is better by more than two standard errors" *
          doctest::test_suite("long")) {
  const Space space = cube(2);
  const auto bumpy = [](const Eigen::VectorXd& x) {
    return std::exp(-20 * (x - Eigen::Vector2d(0.3, 0.7)).squaredNorm()) + std::sin(4 * x[0] + 2 * x[1]);
  };
  FitRequest request;
  request.trend = "constant";  // one candidate a kind, whose errors can be worked out again
  ChoosingOptions options;
  options.drop_parameters = false;
  int left = 0, stayed = 0;
  for (Seed seed = 1; seed <= 16; ++seed) {
    CAPTURE(seed);
    const Data data = data_of(
        latin_hypercube(space, {.runs = 18, .criterion = LatinHypercubeOptions::Criterion::none}, seed)
            .points,
        bumpy);
    const FittedResponse chosen =
        fit_response(space, data, {.kind = "best", .request = request, .choosing = options, .seed = seed});
    const auto squares = [&](const char* kind) {
      FitOptions one{.kind = kind, .choosing = options, .seed = seed};
      if (one.kind == "kriging") one.request = request;
      const FittedResponse alone = fit_response(space, data, one);
      return Eigen::ArrayXd((alone.cv.predicted - data.outputs).col(0).array().square());
    };
    const auto best = std::min_element(chosen.tried.begin(), chosen.tried.end(),
                                       [](const Tried& a, const Tried& b) { return a.rmse_cv < b.rmse_cv; });
    if (best->kind == "kriging" || best->kind == "polynomial") continue;
    const Eigen::ArrayXd d = squares(best->kind.c_str()) - squares("kriging");
    const double error = std::sqrt((d - d.mean()).square().mean() / 18);
    const bool evident = d.mean() < -2 * error;
    CHECK((chosen.surrogate->kind() == "kriging" || chosen.surrogate->kind() == "polynomial") == !evident);
    left += evident;
    stayed += !evident;
  }
  CHECK(stayed > 0);
  CHECK(left > 0);
}

TEST_CASE("parameters that do nothing are found, left out where that does not hurt, and listed" *
          doctest::test_suite("long")) {
  const Space space = cube(7);
  const auto f = [](const Eigen::VectorXd& x) {
    return std::sin(6 * x[1]) + x[4] * x[4] + std::cos(5 * x[1] * x[4]);
  };
  const Data data = data_of(spread_out(space, 45, 4), f);
  const auto kriging = kriging_fit({.kernel = Kernel::matern52})(space, data, 1);
  CHECK(active_parameters(space, data, static_cast<const Kriging&>(*kriging).state()) ==
        std::vector<Eigen::Index>{1, 4});
  FitRequest request;
  const FittedResponse fitted = fit_response(space, data, {.kind = "kriging", .request = request});
  CHECK(fitted.idle == std::vector<Eigen::Index>{0, 2, 3, 5, 6});
  Eigen::MatrixXd at = Eigen::MatrixXd::Constant(2, 7, 0.4);
  at(1, 0) = at(1, 6) = 0.9;
  CHECK(fitted.surrogate->predict(at).mean(0, 0) == fitted.surrogate->predict(at).mean(1, 0));
  CHECK(fitted.surrogate->predict(at, {.gradient = true}).mean_gradient[0].col(5).norm() == 0);
  ChoosingOptions keep;
  keep.drop_parameters = false;
  const FittedResponse all =
      fit_response(space, data, {.kind = "kriging", .request = request, .choosing = keep});
  CHECK(all.idle.empty());
  CHECK(true_q2(space, fitted, f) > true_q2(space, all, f) - 0.01);
}

TEST_CASE("the choice is the same bytes on one thread and two, and for a seed" *
          doctest::test_suite("long")) {
  const Space space = mixed();
  const Data data = data_of(spread_out(space, 36, 5),
                            [](const Eigen::VectorXd& x) { return x[0] * x[1] + std::sin(x[2]) + 3 * x[3]; });
  const auto run = [&](int threads) {
    const ParallelLimit limit(threads);
    return fit_response(space, data, {.seed = 7});
  };
  const FittedResponse one = run(1), two = run(2);
  CHECK(one.why == two.why);
  CHECK(one.cv.predicted == two.cv.predicted);
  CHECK(one.surrogate->save().bytes == two.surrogate->save().bytes);
  REQUIRE(one.tried.size() == two.tried.size());
  for (std::size_t k = 0; k < one.tried.size(); ++k) {
    CHECK(one.tried[k].why == two.tried[k].why);
    // Not a number of what could not be fitted.
    if (!std::isnan(one.tried[k].rmse_cv)) CHECK(one.tried[k].rmse_cv == two.tried[k].rmse_cv);
  }
}

TEST_CASE("what is chosen survives its archive bit for bit, whatever it is, curves too" *
          doctest::test_suite("long")) {
  const Space space = mixed();
  Data data = data_of(spread_out(space, 40, 6),
                      [](const Eigen::VectorXd& x) { return x[0] * x[1] + std::sin(x[2]) + 3 * x[3]; });
  const Eigen::MatrixXd at = sample_region(space, 30, Values::physical, 7, "at");
  for (const bool curve : {false, true}) {
    if (curve) {
      data.outputs.conservativeResize(40, 4);
      for (Eigen::Index k = 1; k < 4; ++k)
        data.outputs.col(k) = data.outputs.col(0) * double(k) + data.inputs.col(1).array().sin().matrix();
      data.outputs(3, 2) = NAN;
    }
    for (const char* kind : {"polynomial", "chaos", "kriging", "rbf", "moving", "blend"}) {
      CAPTURE(kind);
      const FittedResponse fitted = fit_response(space, data, {.kind = kind});
      const auto again = load_surrogate(fitted.surrogate->save());
      const Prediction a = fitted.surrogate->predict(at, {.variance = true, .gradient = true}),
                       b = again->predict(at, {.variance = true, .gradient = true});
      CHECK(a.mean == b.mean);
      CHECK(a.model_variance == b.model_variance);
      CHECK(a.mean_gradient.back() == b.mean_gradient.back());
      CHECK(a.mean.cols() == (curve ? 4 : 1));
      CHECK(a.model_variance.minCoeff() >= 0);
      CHECK((a.mean_gradient[0].col(3).array() == 0).all());
      CHECK(std::string(again->kind()) == kind);
    }
  }
}

TEST_CASE("intervals are stretched until the runs, each left out, lie inside" * doctest::test_suite("long")) {
  const Space space = cube(2);
  const auto steep = [](const Eigen::VectorXd& x) { return std::exp(6 * x[0] * x[1]); };
  const Data data = data_of(spread_out(space, 50, 8), steep);
  FitRequest request;
  request.kernel = Kernel::gaussian;
  const FittedResponse fitted = fit_response(space, data, {.kind = "kriging", .request = request});
  const auto* rescaled = dynamic_cast<const Rescaled*>(fitted.surrogate.get());
  REQUIRE(rescaled);
  CHECK(rescaled->factor() >= 0.6);
  CHECK(left_out_coverage(data, fitted.cv, 0.95) >= 0.93);
  CHECK(left_out_coverage(data, fitted.cv, 0.5) < left_out_coverage(data, fitted.cv, 0.95));
}

TEST_CASE("a budget of candidates is kept, unknown kinds are refused, and failures are told one by one") {
  const Space space = cube(4);
  const Data data =
      data_of(spread_out(space, 30, 9), [](const Eigen::VectorXd& x) { return std::sin(4 * x[0]) + x[1]; });
  ChoosingOptions three;
  three.most_candidates = 3;
  CHECK(fit_response(space, data, {.choosing = three}).tried.size() == 3);
  CHECK_THROWS_WITH_AS(fit_response(space, data, {.kind = "spline"}), doctest::Contains("blend"), Error);
  const Data four = data.rows({0, 1, 2, 3});
  const FittedResponse few = fit_response(space, four);
  CHECK(std::any_of(few.tried.begin(), few.tried.end(), [](const Tried& t) { return !t.why.empty(); }));
  Data flat = data;
  flat.outputs.setConstant(3);
  CHECK_THROWS_WITH_AS(fit_response(space, flat, {.kind = "chaos"}), doctest::Contains("same in every run"),
                       Error);
  CHECK_THROWS_WITH_AS(fit_response(space, data.rows({0})), doctest::Contains("two or more"), Error);
}

TEST_CASE("a learning curve foretells what more runs reach, and says when it cannot" *
          doctest::test_suite("long")) {
  const Space space = cube(3);
  const auto f = [](const Eigen::VectorXd& x) { return std::sin(5 * x[0]) * std::cos(4 * x[1]) + x[2]; };
  const Fit fit = kriging_fit({.kernel = Kernel::matern32, .starts = 2});
  const auto q2_of = [&](int runs) {
    const Data data = data_of(spread_out(space, runs, 11), f);
    return predictive_error(data, cross_validate(space, data, make_folds(space, data, 1), fit, 1)).q2;
  };
  const Data data = data_of(spread_out(space, 40, 11), f);
  LearningOptions options;
  options.target = 0.999;
  const double now = q2_of(40);
  REQUIRE(now < 0.999);
  const LearningCurve curve = learning_curve(space, data, fit, now, options, 1);
  REQUIRE(curve.runs_needed);
  CHECK(curve.rate > 0.5);
  CHECK(*curve.runs_needed > 40);
  CHECK(*curve.low <= *curve.runs_needed);
  CHECK(curve.q2_at(40) == doctest::Approx(now));
  CHECK(curve.q2_at(*curve.runs_needed) >= 0.999);
  CHECK(curve.q2_at(*curve.runs_needed - 1) < 0.999);
  // With so many it is about as good as it was to be.
  CHECK(1 - q2_of(*curve.runs_needed) < 4 * (1 - 0.999));
  for (std::size_t k = 1; k < curve.points.size(); ++k)
    CHECK(curve.points[k].runs > curve.points[k - 1].runs);

  options.target = 0.5;
  CHECK(learning_curve(space, data, fit, now, options, 1).sentence.find("is reached") != std::string::npos);
  CHECK(learning_curve(space, data.rows({0, 1, 2, 3, 4, 5}), fit, 0.1, options, 1).sentence.find("too few") !=
        std::string::npos);
  Stream noise(1, "noise");
  const Data nothing = data_of(
      data.inputs, [&](const Eigen::VectorXd&) { return noise.normal(); }, true);
  options.target = 0.9;
  const LearningCurve flat = learning_curve(space, nothing, fit, -0.05, options, 1);
  CHECK_FALSE(flat.runs_needed);
}

TEST_CASE("what is far behind after a fifth of the folds is left there, and changes nothing of the choice" *
          doctest::test_suite("long")) {
  const Space space = cube(4);
  const auto smooth = [](const Eigen::VectorXd& x) {
    return std::exp(x[0] * x[1]) + std::sin(4 * x[2]) + x[3];
  };
  const Data data = data_of(spread_out(space, 140, 3), smooth);
  const FittedResponse fitted = fit_response(space, data, {.choosing = {.repeats = 1}});
  int behind = 0;
  double best = INFINITY;
  for (const Tried& t : fitted.tried)
    if (std::isfinite(t.rmse_cv)) best = std::min(best, t.rmse_cv);
  for (const Tried& t : fitted.tried) {
    if (t.why.find("far behind after 28 of 140 runs") == std::string::npos) continue;
    ++behind;
    CHECK((t.kind != fitted.surrogate->kind() || t.settings != fitted.settings));
    CHECK(std::isfinite(t.q2));
    CHECK(t.rmse_cv > 2 * best);
    if (t.kind == "kriging") continue;  // there are several, and only one of them is asked for below
    // What it would have come to, tried on all of them.
    const Tried whole = fit_response(space, data, {.kind = t.kind, .choosing = {.repeats = 1}}).tried.front();
    CHECK(whole.why.empty());
    CHECK(whole.rmse_cv > 2 * best);
  }
  CHECK(behind >= 1);
  CHECK(fitted.surrogate->kind() != "moving");

  // Noise tells nothing apart so soon.
  Stream noise(1, "noise");
  const Data scattered = data_of(
      spread_out(space, 140, 3), [&](const Eigen::VectorXd&) { return noise.normal(); }, true);
  for (const Tried& t : fit_response(space, scattered, {.choosing = {.repeats = 1}}).tried)
    CHECK(t.why.find("far behind") == std::string::npos);
}

TEST_CASE("where weights cancel a richer trend is tried, and what is chosen keeps its digits and errs less") {
  const Space space({continuous("a", -5, 10), continuous("b", 0, 15)});
  const auto branin = [](const Eigen::VectorXd& x) {
    return std::pow(x[1] - 5.1 / (4 * M_PI * M_PI) * x[0] * x[0] + 5 / M_PI * x[0] - 6, 2) +
           10 * (1 - 1 / (8 * M_PI)) * std::cos(x[0]) + 10;
  };
  const Data data = data_of(spread_out(space, 60, 1), branin),
             fresh = data_of(spread_out(space, 300, 2), branin);
  FitRequest plain;
  plain.trend = "constant";
  const auto error = [&](const FittedResponse& f) {
    return (f.surrogate->predict(fresh.inputs).mean - fresh.outputs).norm();
  };
  const FittedResponse chosen = fit_response(space, data, {.kind = "kriging"}),
                       constant = fit_response(space, data, {.kind = "kriging", .request = plain});
  CHECK(chosen.settings.find("cubic trend") != std::string::npos);
  CHECK(error(chosen) < 0.2 * error(constant));
  // On part of the runs the same is fitted again.
  const auto* rescaled = dynamic_cast<const Rescaled*>(chosen.surrogate.get());
  const Fit again = fit_as_chosen(space, data, chosen.tried, chosen.settings, {},
                                  rescaled ? *rescaled->inner() : *chosen.surrogate);
  const auto fitted = again(space, data, 1);
  CHECK(likeliest_process(*fitted)->trend.size() == 10);
  // With a kink nothing cancels, and nothing more is tried.
  const Data rough = data_of(data.inputs, [](const Eigen::VectorXd& x) { return std::abs(x[0] - 1) + x[1]; });
  for (const Tried& t : fit_response(space, rough, {.kind = "kriging"}).tried)
    CHECK(t.settings.find("cubic") == std::string::npos);
}

TEST_CASE("settings say which kind they are for, and kinds that contradict them are refused") {
  const auto asked = [](FitOptions options, bool weighted = false) { return kind_asked(options, weighted); };
  CHECK(asked({}).empty());
  CHECK(asked({.kind = "blend"}) == "blend");
  CHECK(asked({.kind = "best", .request = {.kernel = Kernel::gaussian}}).empty());
  CHECK(asked({.request = {.terms = "linear"}}) == "polynomial");
  CHECK(asked({.request = {.transform = {0}}}) == "polynomial");
  CHECK(asked({.choice = {.method = TermChoice::Method::backward}}) == "polynomial");
  CHECK(asked({}, true) == "polynomial");
  CHECK(asked({.request = {.kernel = Kernel::gaussian}}) == "kriging");
  CHECK(asked({.request = {.basis = RadialBasis::cubic}}) == "rbf");
  const auto refused = [&](const FitOptions& options, const char* because, bool weighted = false) {
    CHECK_THROWS_WITH_AS(asked(options, weighted), doctest::Contains(because), Error);
  };
  refused({.kind = "kriging", .request = {.terms = "linear"}}, "for polynomials");
  refused({.kind = "chaos", .choice = {.method = TermChoice::Method::forward}}, "for polynomials");
  refused({.kind = "rbf"}, "for polynomials", true);
  refused({.kind = "polynomial", .request = {.trend = "linear"}}, "for kriging");
  refused({.kind = "moving", .request = {.basis = RadialBasis::cubic}}, "for kind rbf");
  refused({.request = {.terms = "linear", .kernel = Kernel::gaussian}}, "for polynomials");
  refused({.request = {.kernel = Kernel::gaussian, .basis = RadialBasis::cubic}}, "for kriging");
  refused({.kind = "spline"}, "blend");
  // The same through the door.
  const Space space({continuous("x", 0, 1)});
  const Data data =
      make_data(space, Eigen::VectorXd::LinSpaced(8, 0, 1), Eigen::VectorXd::LinSpaced(8, 1, 2));
  CHECK_THROWS_WITH_AS(fit_response(space, data, {.kind = "kriging", .request = {.terms = "linear"}}),
                       doctest::Contains("for polynomials"), Error);
  const FittedResponse line = fit_response(space, data, {.request = {.terms = "linear"}});
  REQUIRE(polynomial_of(*line.surrogate) != nullptr);
  CHECK(polynomial_of(*line.surrogate)->natural().coefficients[1] == doctest::Approx(1));
  const FittedResponse other = fit_response(space, data, {.kind = "kriging"});
  CHECK(polynomial_of(*other.surrogate) == nullptr);
  CHECK(&other.surrogate->underlying() !=
        other.surrogate.get());  // its deviations were held against its folds
}
