// Fits a surrogate of every kind with the full build and writes it down with what it predicts, for
// read_surrogates. Use: write-surrogates FILE
#include <cmath>
#include <fstream>
#include <iostream>
#include <limits>
#include <renth/adaptive/feasibility.hpp>
#include <renth/fit/along_axis.hpp>
#include <renth/fit/along_components.hpp>
#include <renth/fit/chaos_fit.hpp>
#include <renth/fit/layered_kriging_fit.hpp>
#include <renth/fit/moving_fit.hpp>
#include <renth/fit/nearest_kriging_fit.hpp>
#include <renth/fit/on_active_parameters.hpp>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/fit/rbf_fit.hpp>
#include <renth/fit/warped_fit.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/predict/model_file.hpp>
#include <renth/predict/predictor.hpp>
#include <renth/quality/cross_validation.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/blend.hpp>
#include <renth/surrogate/kriging.hpp>
#include <renth/surrogate/kriging_ensemble.hpp>
#include <renth/surrogate/nearest_kriging.hpp>
#include <renth/surrogate/rescaled.hpp>
#include <support.hpp>

#include "cases.hpp"

using namespace renth;
using namespace renth::test;

namespace {

constexpr double epsilon = std::numeric_limits<double>::epsilon();

/// Σ|weights| of what a kernel model sums, which is what its digits hang on.
double weight_of(const Surrogate& s) {
  if (const auto* k = dynamic_cast<const Kriging*>(&s)) return k->state().weights.cwiseAbs().sum();
  if (const auto* k = dynamic_cast<const NearestKriging*>(&s))
    // The weights of a point follow from its nearest runs; their condition bounds them.
    return k->state().residual.cwiseAbs().sum() / std::sqrt(k->state().nugget);
  if (const auto* k = dynamic_cast<const Rbf*>(&s)) return k->state().weights.cwiseAbs().sum();
  if (const auto* k = dynamic_cast<const Rescaled*>(&s)) return weight_of(*k->inner());
  if (const auto* k = dynamic_cast<const Layered*>(&s)) return weight_of(k->base()) + weight_of(k->rest());
  if (const auto* k = dynamic_cast<const KrigingEnsemble*>(&s)) {
    double most = 0;
    for (const Kriging::State& member : k->state().members)
      most = std::max(most, member.weights.cwiseAbs().sum());
    return most;
  }
  return 0;
}

nlohmann::json case_of(const std::string& name, const Surrogate& surrogate, const Eigen::MatrixXd& points) {
  const Prediction p = surrogate.predict(points, {.variance = true, .gradient = true});
  const Archive archive = surrogate.save();
  const double size = p.mean.cwiseAbs().maxCoeff(), slope = p.mean_gradient[0].cwiseAbs().maxCoeff(),
               weights = weight_of(surrogate);
  const bool exact = archive.kind == "polynomial" || archive.kind == "chaos";
  // Polynomials to 1e-12; sums of a kernel to a few ε·Σ|weights|; what is solved or differenced anew at every
  // point to what that leaves.
  const double relative = exact ? 1e-12 : 1e-10;
  return {{"name", name},
          {"kind", archive.kind},
          {"version", archive.version},
          {"bytes", to_hex(archive.bytes)},
          {"points", to_json(points)},
          {"mean", to_json(p.mean)},
          {"variance", to_json(p.model_variance)},
          {"gradient", to_json(p.mean_gradient[0])},
          {"mean_tolerance", weights > 0 ? 8 * epsilon * weights + 1e-13 * size : relative * size},
          {"variance_tolerance", (exact ? 1e-12 : 1e-6) * p.model_variance.cwiseAbs().maxCoeff()},
          {"gradient_tolerance", (exact ? 1e-12 : 1e-5) * slope + 1e3 * epsilon * weights}};
}

/// A model with a limit and a derived response in its one-file form, and what it predicts.
nlohmann::json model_case(const Space& space, const Data& data, const Eigen::MatrixXd& points) {
  Problem p;
  p.name = "from another build";
  p.responses.resize(2);
  p.responses[0].name = "y";
  p.responses[1].name = "z";
  p.space = space;
  p.responses[1].derive = p.derivation(1, "y^2 + x1", "z");
  p.space = space.with({p.limit("x1 + x2 <= 3 || kind == 'red'", "limit")});
  const Fit fit = kriging_fit({.kernel = Kernel::matern52});
  const CrossValidation cv = cross_validate(space, data, make_folds(space, data, 1), fit, 1);
  auto model = std::make_shared<Model>(Model{p, {}, Coverage(space, data.inputs), nullptr});
  model->parts.resize(2);
  model->parts[0] = std::make_shared<const Model::Part>(
      Model::Part{fit(space, data, 1), fold_models(cv, data.outputs), "good"});
  const Predictor predictor(model);
  const Predictions predicted = predictor.predict(points, 0.9);
  return {{"text", model_text(*model)},
          {"points", to_json(points)},
          {"y", to_json(predicted.of(0)->mean)},
          {"z", to_json(predicted.of(1)->mean)},
          {"calibrated_low", to_json(predicted.of(0)->calibrated_low)},
          {"margins", to_json(predictor.margins(points))},
          {"inside", std::vector<int>(predicted.inside.begin(), predicted.inside.end())}};
}

}  // namespace

int main(int argc, char** argv) {
  if (argc != 2) return 2;
  const ParallelLimit limit;
  const Space space(
      {continuous("x1", 0, 1), continuous("x2", -2, 3), choice("kind", {"red", "green", "blue"})});
  const auto f = [](const Eigen::VectorXd& x) {
    return 3 + std::sin(4 * x[0]) + 0.3 * x[1] * x[1] + (x[2] == 1 ? x[0] : 0.2 * x[2]);
  };
  const Data data = data_of(sample_region(space, 90, Values::physical, 1, "runs"), f);
  Data curve = data;
  curve.outputs.resize(data.size(), 4);
  for (int q = 0; q < 4; ++q)
    curve.outputs.col(q) = data.outputs.col(0).array() * (q + 1) + data.inputs.col(0).array().pow(q);
  const Eigen::MatrixXd points = sample_region(space, 40, Values::physical, 2, "points");
  nlohmann::json cases = nlohmann::json::array();
  const auto add = [&](const std::string& name, const Fit& fit, const Data& runs) {
    cases.push_back(case_of(name, *fit(space, runs, 1), points));
  };
  add("polynomial", polynomial_fit({parse_terms(space, "quadratic")}), data);
  add("its logarithm", polynomial_fit({parse_terms(space, "linear"), Confounded::refuse, {0}}), data);
  for (const std::string& kernel : kernel_words.all())
    add("kriging, " + kernel, kriging_fit({.kernel = kernel_words.value(kernel, ""), .trend = "linear"}),
        data);
  add("kriging with others", kriging_fit({.draws = 8}), data);
  add("kriging of the logarithm", warped_kriging_fit({.kernel = Kernel::matern52}),
      data_of(data.inputs, [&](const Eigen::VectorXd& x) { return std::exp(2 * f(x)); }));
  add("kriging by nearest runs", nearest_kriging_fit({.kernel = Kernel::matern32}), data);
  add("kriging in two layers", layered_kriging_fit({.kernel = Kernel::matern52}), data);
  add("chaos", chaos_fit(), data);
  for (const std::string& basis : radial_basis_words.all())
    add("rbf, " + basis, rbf_fit({.bases = {radial_basis_words.value(basis, "")}}), data);
  add("moving", moving_fit(), data);
  const auto some = [](const Space&, const Data&, Seed) { return std::vector<Eigen::Index>{0, 2}; };
  add("reduced", on_active_parameters(some, kriging_fit({.kernel = Kernel::matern52})), data);
  add("along an axis", along_axis({polynomial_fit({parse_terms(space, "quadratic")})}), curve);
  add("by shapes", along_components({kriging_fit({.kernel = Kernel::matern52})}), curve);
  const std::shared_ptr<const Surrogate> kriging = kriging_fit({.kernel = Kernel::matern52})(space, data, 1),
                                         chaos = chaos_fit()(space, data, 1);
  cases.push_back(case_of("rescaled", Rescaled(kriging, 1.7), points));
  cases.push_back(case_of("blend", Blend({kriging, chaos}, Eigen::Vector2d(0.3, 0.7)), points));
  std::vector<bool> failed;
  for (Eigen::Index i = 0; i < data.size(); ++i)
    failed.push_back(data.inputs(i, 0) + data.inputs(i, 1) > 2.5);
  cases.push_back(case_of("feasibility", *feasibility_fit(space, data.inputs, failed, 1), points));
  std::ofstream out(argv[1]);
  out << nlohmann::json{{"cases", cases}, {"model", model_case(space, data, points)}}.dump() << '\n';
  std::cout << cases.size() << " surrogates written\n";
  return out.flush() ? 0 : 1;
}
