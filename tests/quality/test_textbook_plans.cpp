// Verdicts on textbook plans, on responses whose truth is known.
#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/box_behnken.hpp>
#include <renth/plan/central_composite.hpp>
#include <renth/plan/full_factorial.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/plan/screening.hpp>
#include <renth/quality/quality.hpp>
#include <renth/selection/choose.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;
using Axial = CentralCompositeOptions::Axial;

namespace {

Plan composite(int k, Axial axial, int centre, int blocks = 1) {
  CentralCompositeOptions options;
  options.axial = axial;
  options.axial_asked = true;
  options.centre_runs = centre;
  options.blocks = blocks;
  return central_composite(cube(k, -1, 1), options, 1);
}
Plan with_centre(Plan plan, int k, int centre) {
  const Eigen::Index corners = plan.size();
  plan.points.conservativeResize(corners + centre, k);
  plan.points.bottomRows(centre).setZero();
  plan.blocks = Eigen::VectorXi::Zero(corners + centre);
  return plan;
}
Plan factorial_runs(int k, int levels, int replicates = 1) {
  return full_factorial(cube(k, -1, 1), {.levels = levels, .replicates = replicates}, 1);
}

/// A surface of second order in coded units, or of products alone.
double surface(const Eigen::VectorXd& x, bool squares) {
  double y = 20;
  for (Eigen::Index j = 0; j < x.size(); ++j) {
    y += (j % 2 ? -2.0 : 3.0) * x[j];
    if (squares) y += (1.5 - double(j)) * x[j] * x[j];
    for (Eigen::Index i = 0; i < j; ++i) y += (i + j) % 2 ? 1.2 * x[i] * x[j] : 0;
  }
  return y;
}

using Truth = std::function<double(const Eigen::VectorXd&)>;

Data made(const Plan& plan, const Truth& truth, double noise, Seed seed, double shift = 0) {
  Stream stream(seed, "noise");
  Data data = data_of(
      plan.points, [&](const Eigen::VectorXd& x) { return truth(x) + noise * stream.normal(); }, true);
  data.blocks = plan.blocks;
  for (Eigen::Index i = 0; i < data.size(); ++i)
    data.outputs(i, 0) += shift * data.blocks[i] * data.blocks[i];
  return data;
}

struct Judged {
  Quality quality;
  Judgement judgement;
  bool says(const std::string& words) const {
    return std::any_of(judgement.reasons.begin(), judgement.reasons.end(),
                       [&](const std::string& r) { return r.find(words) != std::string::npos; });
  }
};
Judged judged(const Data& data, const char* kind, const std::string& terms = "") {
  const Space space = cube(int(data.inputs.cols()), -1, 1);
  const FittedResponse fit = fit_response(space, data, {.kind = kind, .request = {.terms = terms}});
  const Quality q = measure_quality(space, *fit.surrogate, data, fit.cv, nullptr);
  return {q, judge(q, data.noisy, fit.surrogate->kind(), {fit.tried.size(), {}})};
}

struct Named {
  const char* name;
  Plan plan;
  double shift;
};
std::vector<Named> second_order_plans() {
  return {{"rotatable, 2", composite(2, Axial::rotatable, 5), 0},
          {"rotatable, 3", composite(3, Axial::rotatable, 6), 0},
          {"face, 3", composite(3, Axial::face, 4), 0},
          {"spherical, 3", composite(3, Axial::spherical, 4), 0},
          {"two blocks", composite(2, Axial::orthogonal, 6, 2), 5},
          {"three blocks", composite(3, Axial::orthogonal, 6, 3), -4},
          {"Box–Behnken, 3", box_behnken(cube(3, -1, 1), {.centre_runs = 3}, 1), 0},
          {"Box–Behnken, 4, in blocks", box_behnken(cube(4, -1, 1), {.centre_runs = 6, .blocks = 3}, 1), 7},
          {"replicated", factorial_runs(2, 3, 3), 0}};
}

}  // namespace

TEST_CASE("second-order plans on a second-order response are good, whatever their blocks add") {
  int good = 0, count = 0;
  for (const Named& p : second_order_plans())
    for (Seed seed = 1; seed <= 20; ++seed) {
      CAPTURE(p.name);
      CAPTURE(seed);
      const Truth truth = [](const Eigen::VectorXd& x) { return surface(x, true); };
      for (const char* terms : {"quadratic", ""}) {
        const Judged j = judged(made(p.plan, truth, 0.1, seed, p.shift), "polynomial", terms);
        CAPTURE(j.quality.q2);
        // By chance lack of fit is significant (p < 0.01) once in a hundred.
        ++count;
        good += j.judgement.verdict == Verdict::good;
        CHECK(j.judgement.verdict <= Verdict::usable);
        CHECK(j.quality.q2 > 0.95);
        CHECK(j.quality.r2 > 0.98);
        CHECK(j.quality.r2_adjusted > 0.97);
      }
    }
  CHECK(good > 0.97 * count);
}

TEST_CASE("on pure noise the same plans are unfit, and that is said") {
  int unfit = 0, said = 0, count = 0;
  for (const Named& p : second_order_plans())
    for (Seed seed = 1; seed <= 20; ++seed) {
      const Truth truth = [](const Eigen::VectorXd&) { return 20.0; };
      const Judged j = judged(made(p.plan, truth, 1, seed, p.shift), "polynomial");
      ++count;
      unfit += j.judgement.verdict == Verdict::unfit;
      said += j.says("the mean of the runs");
      CHECK(j.judgement.verdict >= Verdict::weak);
    }
  CHECK(unfit > 0.95 * count);
  CHECK(said > 0.8 * count);
}

TEST_CASE("corners with centre runs are good for products, and show that a surface bends") {
  const Plan plan = with_centre(factorial_runs(3, 2), 3, 4);
  for (Seed seed = 1; seed <= 20; ++seed) {
    CAPTURE(seed);
    const Truth flat = [](const Eigen::VectorXd& x) { return surface(x, false); };
    CHECK(judged(made(plan, flat, 0.1, seed), "polynomial", "products").judgement.verdict == Verdict::good);
    const Truth bowl = [](const Eigen::VectorXd& x) { return surface(x, false) + 4 * x.squaredNorm(); };
    const Judged bent = judged(made(plan, bowl, 0.1, seed), "polynomial", "products");
    CHECK(bent.judgement.verdict != Verdict::good);
    CHECK(bent.says("the surface bends"));
  }
}

TEST_CASE("a saturated plan is unfit, with what stands out all the same") {
  const Space space = cube(7, -1, 1);
  Data data = data_of(plackett_burman(space, {}, 1).points,
                      [](const Eigen::VectorXd& x) { return 5 * x[0] - 4 * x[3] + 0.1 * x[5]; });
  REQUIRE(data.size() == 8);
  const Judged j = judged(data, "polynomial", "linear");
  CHECK(j.judgement.verdict == Verdict::unfit);
  CHECK(std::isnan(j.quality.q2));
  CHECK(j.says("no residual degrees of freedom"));
  CHECK(j.says("x1, x4"));
}

TEST_CASE("replicates that the polynomial cannot do without are left out one at a time") {
  const Plan rotatable = composite(2, Axial::rotatable, 5);
  const Truth truth = [](const Eigen::VectorXd& x) { return surface(x, true); };
  const Data data = made(rotatable, truth, 0.2, 3);
  const Space space = cube(2, -1, 1);
  CHECK(make_folds(space, data, 1).count == 13);
  CHECK(settings_in_several_folds(data, make_folds(space, data, 1)) == 1);
  const Judged j = judged(data, "polynomial", "quadratic");
  // Every run is a fold of its own: then Q² is the predicted R².
  CHECK(j.quality.q2 == doctest::Approx(j.quality.r2_predicted).epsilon(1e-9));
  CHECK(j.says("left out one at a time"));
  // A linear model does well without them, and so does a quadratic one on a face-centred plan.
  CHECK(make_folds(space, data, 1, 0, parse_terms(space, "linear")).count == 9);
  const Space three = cube(3, -1, 1);
  const Plan face = composite(3, Axial::face, 4);
  CHECK(make_folds(three, made(face, truth, 0.2, 3), 1).count == 15);
}

TEST_CASE("a run without which the model cannot be fitted is told, and is in no figure") {
  const Space space = cube(3, -1, 1);
  const Plan plan = box_behnken(space, {.centre_runs = 1}, 1);
  const Truth truth = [](const Eigen::VectorXd& x) { return surface(x, true); };
  const Judged j = judged(made(plan, truth, 0.05, 1), "polynomial", "quadratic");
  CHECK(j.quality.not_left_out == 1);
  CHECK(j.quality.q2 > 0.9);
  CHECK(j.says("without 1 of the runs it cannot be fitted"));
  // A block of one run says nothing of its own shift.
  Data alone = made(composite(2, Axial::face, 3), truth, 0.1, 1);
  alone.blocks[4] = 1;
  alone.outputs(4, 0) += 100;
  for (const char* kind : {"polynomial", "kriging", "blend", ""}) {
    CAPTURE(kind);
    const Judged k = judged(alone, kind);
    CHECK(k.quality.not_left_out == 1);
    CHECK(k.quality.q2 > 0.9);
  }
}

TEST_CASE("what blocks add changes no figure of any kind") {
  const Space space = cube(2, -1, 1);
  Plan plan = latin_hypercube(space, {.runs = 30}, 1);
  const std::vector<int> order = Stream(1, "blocks").permutation(30);  // rows of a plan may stand in an order
  for (Eigen::Index i = 0; i < 30; ++i) plan.blocks[i] = order[std::size_t(i)] % 3;
  const Truth truth = [](const Eigen::VectorXd& x) { return std::sin(2 * x[0]) + x[1] * x[1]; };
  const Data level = made(plan, truth, 0.02, 1), shifted = made(plan, truth, 0.02, 1, 5);
  Data one = level;
  one.blocks.resize(0);
  for (const char* kind : {"polynomial", "kriging", "chaos", "rbf", "moving", ""}) {
    CAPTURE(kind);
    const Quality a = judged(level, kind).quality, b = judged(shifted, kind).quality,
                  c = judged(one, kind).quality;
    CHECK(b.q2 == doctest::Approx(a.q2).epsilon(1e-4));
    CHECK(b.r2 == doctest::Approx(a.r2).epsilon(1e-4));
    CHECK(b.rmse_cv == doctest::Approx(a.rmse_cv).epsilon(1e-3));
    CHECK(1 - b.q2 < 2 * (1 - c.q2) + 0.01);  // estimating two shifts costs little
  }
}

TEST_CASE("a curve in blocks is judged as if it were of one") {
  const Space space = cube(2, -1, 1);
  Data level;
  level.inputs = spread_out(space, 24, 1);
  level.outputs.resize(24, 4);
  level.blocks.resize(24);
  for (Eigen::Index i = 0; i < 24; ++i) {
    level.blocks[i] = int(i % 2);
    for (Eigen::Index k = 0; k < 4; ++k)
      level.outputs(i, k) = std::sin(level.inputs(i, 0) + 0.4 * double(k)) + level.inputs(i, 1);
  }
  Data shifted = level;
  for (Eigen::Index i = 0; i < 24; ++i)
    if (level.blocks[i] == 1) shifted.outputs.row(i) += Eigen::RowVector4d(1, 3, -2, 10);
  for (const char* kind : {"polynomial", "kriging"}) {
    CAPTURE(kind);
    const FittedResponse a = fit_response(space, level, {.kind = kind}),
                         b = fit_response(space, shifted, {.kind = kind});
    const Quality p = measure_quality(space, *a.surrogate, level, a.cv, nullptr),
                  q = measure_quality(space, *b.surrogate, shifted, b.cv, nullptr);
    CHECK(q.q2 > 0.95);
    CHECK(q.q2 == doctest::Approx(p.q2).epsilon(1e-4));
    for (std::size_t k = 0; k < 4; ++k) CHECK(q.along[k].q2 == doctest::Approx(p.along[k].q2).epsilon(1e-4));
  }
}
