// All responses of a problem at once, and what is sought of them by name.
#include <doctest/doctest.h>

#include <cmath>
#include <limits>
#include <renth/numeric/parallel.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/predict/predictor.hpp>
#include <renth/search/sought.hpp>
#include <renth/selection/fit_model.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {

Problem two_and_a_curve() {
  Problem p;
  p.space = Space({continuous("a", 0, 4), continuous("b", -1, 1)});
  p.axes = {{"t", "s", {1, 2, 3}}};
  p.responses.resize(4);
  p.responses[0].name = "y";
  p.responses[1].name = "curve";
  p.responses[1].axis = 0;
  p.responses[2].name = "partly";
  p.responses[3].name = "ratio";
  p.responses[3].derive = p.derivation(3, "y / (1 + max(curve))", "ratio");
  return p;
}

std::vector<Eigen::MatrixXd> outputs_at(const Eigen::MatrixXd& x) {
  Eigen::MatrixXd y(x.rows(), 1), curve(x.rows(), 3), partly(x.rows(), 1);
  y.col(0) = x.col(0).array().sin() + x.col(1).array().square();
  for (int q = 0; q < 3; ++q) curve.col(q) = (q + 1) * x.col(0) + x.col(1);
  partly.col(0) = x.col(0) - x.col(1);
  partly(3, 0) = std::numeric_limits<double>::quiet_NaN();
  return {y, curve, partly, {}};
}

}  // namespace

TEST_CASE("a model of several responses is what each fitted alone is, judged, and covers the runs") {
  const Problem problem = two_and_a_curve();
  const Eigen::MatrixXd x = latin_hypercube(problem.space, {.runs = 24}, 1).points;
  const std::vector<Eigen::MatrixXd> outputs = outputs_at(x);
  const FittedModel fitted = fit_model(problem, x, outputs, {.kind = "kriging"});
  REQUIRE(fitted.responses.size() == 4);
  CHECK_FALSE(fitted.responses[3]);
  CHECK(fitted.responses[2]->data.size() == 23);
  const FittedResponse alone =
      fit_response(problem.space, make_data(problem.space, x, outputs[0]), {.kind = "kriging"});
  const Eigen::MatrixXd at = latin_hypercube(problem.space, {.runs = 9}, 7).points;
  const Predictor predictor(fitted.model, parallel_for);
  const Predictions p = predictor.predict(at, 0.95);
  CHECK(p.of(0)->mean == alone.surrogate->predict(at).mean);
  CHECK(p.of(0)->calibrated_low.rows() == 9);
  CHECK(p.of(3)->mean.col(0).isApprox(
      (p.of(0)->mean.col(0).array() / (1 + p.of(1)->mean.rowwise().maxCoeff().array())).matrix(), 1e-14));
  for (int k : {0, 1, 2}) {
    CHECK(fitted.model->parts[std::size_t(k)]->verdict ==
          name(fitted.responses[std::size_t(k)]->judgement.verdict));
    CHECK(fitted.responses[std::size_t(k)]->quality.q2 > 0.9);
  }
  CHECK(p.inside == fitted.model->coverage.inside_each(at));

  // What is wished by name is found.
  Notes notes;
  const Wanted want = wanted(problem, {.maximise = {"y"}, .keep = {"partly <= 1"}, .hold = {{"b", 0.5}}}, "");
  const auto sought = sought_problem(problem, want, predictor, 0, notes);
  scale_constraints(sought->problem, 1);
  SeekOptions options;
  options.search.hold = held(problem, want.hold);
  const Proposal best = seek(sought->problem, options, 1).proposals.front();
  CHECK(best.feasible);
  CHECK(best.point[1] == 0.5);
  CHECK(best.point[0] == doctest::Approx(1.5).epsilon(0.02));  // a − b ≤ 1, and the sine rises until π/2
  CHECK_THROWS_WITH_AS(wanted(problem, {.maximise = {"nobody"}}, ""),
                       doctest::Contains("unknown response nobody"), Error);
  CHECK_THROWS_WITH_AS(wanted(problem, {.maximise = {"curve"}}, ""), doctest::Contains("is a curve"), Error);
}

TEST_CASE("a model that cannot be fitted says of which response and why") {
  const Problem problem = two_and_a_curve();
  const Eigen::MatrixXd x = latin_hypercube(problem.space, {.runs = 12}, 1).points;
  std::vector<Eigen::MatrixXd> outputs = outputs_at(x);
  const auto refusal = [&](const std::vector<Eigen::MatrixXd>& given) -> std::string {
    try {
      fit_model(problem, x, given, {.kind = "kriging"});
    } catch (const Error& e) {
      return e.what();
    }
    return "";
  };
  CHECK(refusal({outputs[0]}).find("outputs of 1 responses, and there are 4") != std::string::npos);
  std::vector<Eigen::MatrixXd> wrong = outputs;
  wrong[1] = outputs[0];
  CHECK(refusal(wrong).find("12 × 1 outputs for 12 runs of 3 values: curve") != std::string::npos);
  wrong = outputs;
  wrong[2].setConstant(std::numeric_limits<double>::quiet_NaN());
  CHECK(refusal(wrong).find("partly") != std::string::npos);
  wrong = outputs;
  wrong[0](0, 0) = std::numeric_limits<double>::infinity();
  CHECK(refusal(wrong).find("y") != std::string::npos);
}
