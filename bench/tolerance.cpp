// Tolerances: what even samples save over random ones, a million draws of a polynomial beside dgemm and the
// drawing, and another scatter from the same sample by weights.
#include <cblas.h>

#include <cmath>
#include <cstdio>
#include <functional>
#include <further_functions.hpp>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/terms/terms.hpp>
#include <renth/tolerance/tolerance.hpp>
#include <timing.hpp>

using namespace renth;
using bench::fastest;

namespace {

Space with_scatter(Space space, double share) {
  std::vector<Parameter> parameters = space.parameters();
  for (Parameter& p : parameters) p.scatter = {Scatter::Shape::normal, share * (p.high - p.low)};
  return Space(std::move(parameters));
}

/// A model of one response with an upper limit.
std::shared_ptr<Model> model_of(const Space& space, std::shared_ptr<const Surrogate> surrogate, double most) {
  auto model = std::make_shared<Model>();
  model->problem.space = space;
  for (const Parameter& p : space.parameters()) model->problem.order.push_back(p.name);
  model->problem.responses.resize(1);
  model->problem.responses[0].name = "y";
  model->problem.responses[0].accept.max = most;
  model->parts = {std::make_shared<Model::Part>(Model::Part{std::move(surrogate), FoldModels()})};
  Eigen::MatrixXd ends(2, space.size());
  for (Eigen::Index j = 0; j < space.size(); ++j) ends.col(j) << space[j].low, space[j].high;
  model->coverage = Coverage(space, ends);
  return model;
}

std::shared_ptr<const Surrogate> quadratic_of(const Space& space,
                                              const std::function<double(const Eigen::VectorXd&)>& f,
                                              int runs) {
  const Eigen::MatrixXd x =
      latin_hypercube(space, {.runs = runs, .criterion = LatinHypercubeOptions::Criterion::none}, 1).points;
  Data data{x, Eigen::MatrixXd(runs, 1), {}, false};
  for (Eigen::Index i = 0; i < runs; ++i) data.outputs(i, 0) = f(x.row(i).transpose());
  return polynomial_fit({.terms = parse_terms(space, "quadratic")})(space, data, 1);
}

/// Errors of a mean, a standard deviation and a yield over many samples.
struct Errors {
  double mean = 0, sd = 0, yield = 0;
};

Errors errors_of(const Specification& specification, const Space& space, Sampling method,
                 const Eigen::VectorXd& at) {
  const ScatterDraw draw(space);
  constexpr int repeats = 200, count = 2048;
  Eigen::ArrayXd mean(repeats), sd(repeats), yield(repeats);
  for (int r = 0; r < repeats; ++r) {
    const Eigen::MatrixXd u = unit_sample(method, 1, count, draw.dimensions(), hash64("bench", Seed(r)));
    const Specification::Answer a = specification.at(draw.around(at.transpose(), u));
    mean[r] = a.responses.col(0).mean();
    sd[r] = std::sqrt((a.responses.col(0).array() - mean[r]).square().mean());
    yield[r] = (a.margins.array() >= 0).cast<double>().mean();
  }
  const auto spread = [](const Eigen::ArrayXd& v) { return std::sqrt((v - v.mean()).square().mean()); };
  return {spread(mean), spread(sd), spread(yield)};
}

}  // namespace

int main() {
  const ParallelLimit one(1);
  std::printf(
      "draws that random sampling takes for the error of 2 048 (mean, deviation, yield); 200 samples each\n");
  for (const bench::TestFunction& f : {bench::otl_circuit(), bench::piston()}) {
    const Space space = with_scatter(f.space(), 0.05);
    const Eigen::VectorXd at = space.nominal();
    auto model = model_of(space,
                          quadratic_of(
                              space, [&](const Eigen::VectorXd& x) { return f.value(x); }, 200),
                          0);
    const Predictor probe(model);
    model->problem.responses[0].accept.max = probe.mean_of(0, at.transpose())(0, 0) * 1.05;
    const Predictor predictor(model);
    const Specification specification(predictor);
    const Errors random = errors_of(specification, space, Sampling::random, at);
    for (const Sampling method : {Sampling::hypercube, Sampling::hammersley, Sampling::sobol}) {
      const Errors e = errors_of(specification, space, method, at);
      std::printf("  %-10s %-10s  mean %8.0f x   deviation %6.1f x   yield %5.1f x\n", f.name.c_str(),
                  std::string(sampling_words(method)).c_str(), std::pow(random.mean / e.mean, 2),
                  std::pow(random.sd / e.sd, 2), std::pow(random.yield / e.yield, 2));
    }
  }

  std::vector<Parameter> ten;
  for (int j = 0; j < 10; ++j) ten.push_back(continuous("x" + std::to_string(j), -1, 2));
  const Space space = with_scatter(Space(ten), 0.05);
  const auto model = model_of(
      space,
      quadratic_of(
          space, [](const Eigen::VectorXd& x) { return x.sum() + x.squaredNorm() + x[0] * x[1]; }, 200),
      8.5);
  const Predictor predictor(model);
  const Specification specification(predictor);
  const ScatterDraw draw(space);
  constexpr Eigen::Index million = 1'000'000;
  const Eigen::VectorXd at = space.nominal();
  ToleranceSample sample;
  const double whole = fastest(3, [&] {
    sample = draw_sample(draw, specification, at, Sampling::sobol, million, 1);
    yield_of(sample, 0.95);
  });
  const double drawing = fastest(3, [&] {
    const Eigen::MatrixXd u = unit_sample(Sampling::sobol, 32, million / 32, 10, 1);
    draw.around(at.transpose(), u);
  });
  constexpr int size = 1000;
  const Eigen::MatrixXd left = Eigen::MatrixXd::Random(size, size),
                        right = Eigen::MatrixXd::Random(size, size);
  Eigen::MatrixXd product(size, size);
  const double gemm = fastest(5, [&] {
    cblas_dgemm(CblasColMajor, CblasNoTrans, CblasNoTrans, size, size, size, 1.0, left.data(), size,
                right.data(), size, 0.0, product.data(), size);
  });
  const double same = gemm * 66 * double(million) / 1e9;
  std::printf(
      "\na million draws of 66 terms: %.0f ms; dgemm for the same arithmetic %.0f ms, drawing %.0f ms: %.2f "
      "times their sum "
      "(limit 3.5), %.2f times dgemm besides the drawing\n",
      1e3 * whole, 1e3 * same, 1e3 * drawing, whole / (same + drawing), (whole - drawing) / same);

  std::vector<Parameter> tighter = space.parameters();
  tighter[0].scatter.size *= 0.8;
  const Space after(tighter);
  const double weighted = fastest(3, [&] { what_if(sample, specification, space, after, {}, 0.95); });
  std::printf("another scatter by weights: %.0f ms, %.3f of the first answer (limit 0.1)\n", 1e3 * weighted,
              weighted / whole);
  return 0;
}
