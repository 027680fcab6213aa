#include <doctest/doctest.h>

#include <algorithm>
#include <renth/fit/fit.hpp>
#include <renth/fit/methods.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/numeric/random.hpp>
#include <renth/quality/quality.hpp>
#include <renth/selection/choose.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/data.hpp>
#include <set>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

TEST_CASE("distributions give the values of the tables") {
  CHECK(student_t_width(0.95, 10) == doctest::Approx(2.228139).epsilon(1e-6));
  CHECK(student_t_width(0.95, INFINITY) == doctest::Approx(1.959964).epsilon(1e-6));
  CHECK(student_t_two_sided(2.228139, 10) == doctest::Approx(0.05).epsilon(1e-5));
  CHECK(fisher_f_upper(4.102821, 2, 10) == doctest::Approx(0.05).epsilon(1e-5));
  CHECK(std::isnan(student_t_width(0.95, 0)));
}

TEST_CASE("folds are even, never part replicates, and are one run each where there are few") {
  const auto twice = [](int n) {
    Data data{Eigen::MatrixXd(n, 1), Eigen::MatrixXd::Zero(n, 1), {}, true};
    for (int i = 0; i < n; ++i) data.inputs(i, 0) = i / 2;
    return data;
  };
  const Space space = cube(1, 0, 150);
  const Data many = twice(300);
  for (const int repeat : {0, 1}) {
    const Folds folds = make_folds(space, many, 1, repeat);
    REQUIRE(folds.count == 10);
    std::vector<int> size(10, 0);
    for (int i = 0; i < 300; ++i) {
      ++size[folds.of_run[i]];
      if (i % 2) CHECK(folds.of_run[i] == folds.of_run[i - 1]);
    }
    for (const int s : size) CHECK(s == 30);
  }
  CHECK(make_folds(space, many, 1, 0).of_run != make_folds(space, many, 1, 1).of_run);
  CHECK(make_folds(space, twice(60), 1).count == 30);
  CHECK(make_folds(space, many.rows({0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11}), 1).count == 6);
  // Three settings carry no parabola without any of them.
  CHECK(make_folds(space, many.rows({0, 1, 2, 3, 4, 5}), 1).count == 6);
  CHECK(make_folds(space, many.rows({0, 1, 2, 3, 4, 5}), 1, 0, parse_terms(space, "1")).count == 3);
}

TEST_CASE("cross-validation predicts each run by a model that has not seen it") {
  const Space space = cube(2);
  const Data data =
      data_of(spread_out(space, 12, 1), [](const Eigen::VectorXd& x) { return std::sin(6 * x[0]) + x[1]; });
  const Fit fit = surrogate_kind("polynomial").methods(space, data, {"linear"}).front().fit;
  const CrossValidation cv = cross_validate(space, data, make_folds(space, data, 1), fit, 1);
  for (Eigen::Index i = 0; i < 12; ++i) {
    std::vector<Eigen::Index> rest;
    for (Eigen::Index j = 0; j < 12; ++j)
      if (j != i) rest.push_back(j);
    CHECK(cv.predicted(i, 0) ==
          doctest::Approx(fit(space, data.rows(rest), 1)->predict(data.inputs.row(i)).mean(0, 0))
              .epsilon(1e-10));
  }
}

namespace {
Quality with_q2(double q2) {
  Quality q;
  q.runs = 50;
  q.q2 = q2;
  q.r2_adjusted = q.lack_of_fit_p = NAN;
  q.residual_degrees_of_freedom = 40;
  return q;
}
Verdict verdict(const Quality& q, bool noisy = false) {
  return judge(q, noisy, "polynomial").verdict;
}
}  // namespace

TEST_CASE("the verdict follows its rule") {
  CHECK(verdict(with_q2(0.96)) == Verdict::good);
  CHECK(verdict(with_q2(0.85)) == Verdict::usable);
  CHECK(verdict(with_q2(0.6)) == Verdict::weak);
  CHECK(verdict(with_q2(0.4)) == Verdict::unfit);
  Quality q = with_q2(0.96);
  q.check = CheckQuality{20, 0.7, 1, 1, 1, 0.95, 0.95};
  CHECK(verdict(q) == Verdict::weak);  // the worse of the two counts
  q = with_q2(0.8);
  q.reachable = 0.82;
  CHECK(verdict(q) == Verdict::good);  // almost all that replicates allow
  q = with_q2(0.96);
  q.lack_of_fit_p = 0.001;
  CHECK(verdict(q, true) == Verdict::usable);
  CHECK(verdict(q, false) == Verdict::good);  // nothing to compare with in a deterministic study
  q = with_q2(0.7);
  q.r2_adjusted = 0.95;
  CHECK(verdict(q) == Verdict::unfit);
  q = with_q2(0.96);
  q.residual_degrees_of_freedom = 3;
  CHECK(verdict(q) == Verdict::usable);
  q.check = CheckQuality{20, 0.97, 1, 1, 1, 0.5, 0.5};
  CHECK(verdict(q) == Verdict::weak);
  q.residual_degrees_of_freedom = 0;
  CHECK(verdict(q) == Verdict::unfit);
  CHECK_FALSE(judge(q, false, "polynomial").reasons.empty());
  CHECK_FALSE(judge(q, false, "polynomial").next.empty());
}

TEST_CASE("the best of several by few runs that scatter is said to be partly lucky, until check runs tell") {
  const auto says = [](const Quality& q, bool noisy, std::size_t candidates) {
    const Judgement j = judge(q, noisy, "kriging", {candidates, {}});
    CHECK(j.verdict == judge(q, noisy, "kriging").verdict);
    return std::any_of(j.reasons.begin(), j.reasons.end(), [](const std::string& reason) {
      return reason.find("partly by luck") != std::string::npos;
    });
  };
  Quality q = with_q2(0.7);
  CHECK(says(q, true, 9));
  CHECK_FALSE(says(q, true, 1));
  CHECK_FALSE(says(q, false, 9));
  q.check = CheckQuality{20, 0.9, 1, 1, 1, 0.95, 0.95};
  CHECK_FALSE(says(q, true, 9));
  q = with_q2(0.7);
  q.q2 = 0.95;
  CHECK_FALSE(says(q, true, 9));
  q.q2 = 0.7;
  q.runs = 200;
  CHECK_FALSE(says(q, true, 9));
}

TEST_CASE("lack of fit is found where a line is laid through a parabola") {
  const Space space = cube(1, -1, 1);
  Eigen::MatrixXd points(15, 1);
  for (int i = 0; i < 15; ++i) points(i, 0) = -1 + 0.5 * (i % 5);
  Stream noise(3, "noise");
  const Data data = data_of(
      points, [&](const Eigen::VectorXd& x) { return x[0] * x[0] + 0.05 * noise.normal(); }, true);
  const auto p_of = [&](const char* terms) {
    const FittedResponse f = fit_response(space, data, {.request = {.terms = terms}});
    return measure_quality(space, *f.surrogate, data, f.cv, nullptr).lack_of_fit_p;
  };
  CHECK(p_of("linear") < 1e-6);
  CHECK(p_of("quadratic") > 0.01);
}

TEST_CASE("calibrated intervals hold what they promise even when the model is wrong") {
  const Space space = cube(1);
  const auto f = [](const Eigen::VectorXd& x) { return std::abs(x[0] - 0.5) + 0.3 * std::sin(25 * x[0]); };
  const Data data = data_of(sample_region(space, 100, Values::physical, 1, "runs"), f);
  const Data fresh = data_of(sample_region(space, 2000, Values::physical, 2, "fresh"), f);
  const FittedResponse line = fit_response(space, data, {.request = {.terms = "linear"}});
  const FoldModels::Bounds c = fold_models(line.cv, data.outputs).calibrated(fresh.inputs, 0, 0.9);
  const double inside = static_cast<double>((fresh.outputs.col(0).array() >= c.low.array() &&
                                             fresh.outputs.col(0).array() <= c.high.array())
                                                .count()) /
                        2000;
  CHECK((inside > 0.85 && inside < 0.97));
  const Data few = data.rows({0, 1, 2, 3, 4});
  const CrossValidation cv =
      cross_validate(space, few, make_folds(space, few, 1),
                     surrogate_kind("polynomial").methods(space, data, {"linear"}).front().fit, 1);
  CHECK(fold_models(cv, few.outputs).calibrated(fresh.inputs, 0, 0.95).low.size() == 0);
}

TEST_CASE("a percentage near zero is of a hundredth of the largest value") {
  CHECK(percent_error(1, 50, 100) == 2);
  CHECK(percent_error(0.5, 0, 100) == 50);
  CHECK(percent_error(0, 0, 0) == 0);
}
