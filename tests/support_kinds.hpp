// A model with a response of every kind of surrogate, over parameters of every kind.
#pragma once
#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <iterator>
#include <memory>
#include <nlohmann/json.hpp>
#include <renth/fit/along_axis.hpp>
#include <renth/fit/along_components.hpp>
#include <renth/fit/chaos_fit.hpp>
#include <renth/fit/kriging_fit.hpp>
#include <renth/fit/layered_kriging_fit.hpp>
#include <renth/fit/moving_fit.hpp>
#include <renth/fit/nearest_kriging_fit.hpp>
#include <renth/fit/on_active_parameters.hpp>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/fit/rbf_fit.hpp>
#include <renth/fit/warped_fit.hpp>
#include <renth/numeric/kernels.hpp>
#include <renth/predict/predictor.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/along.hpp>
#include <renth/surrogate/blend.hpp>
#include <renth/surrogate/chaos.hpp>
#include <renth/surrogate/components.hpp>
#include <renth/surrogate/kriging_ensemble.hpp>
#include <renth/surrogate/layered.hpp>
#include <renth/surrogate/moving.hpp>
#include <renth/surrogate/nearest_kriging.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <renth/surrogate/rbf.hpp>
#include <renth/surrogate/reduced.hpp>
#include <renth/surrogate/rescaled.hpp>
#include <renth/surrogate/warped.hpp>
#include <string>
#include <support.hpp>
#include <vector>

namespace renth::test {

/// Σ|weights| of what a surrogate sums up, which is what the digits of its mean hang on: two right
/// evaluations differ by a few ε times that.
inline double weight_of(const Surrogate& s) {
  const auto largest = [](const auto& members) {
    double most = 0;
    for (const auto& m : members) most = std::max(most, weight_of(*m));
    return most;
  };
  if (const auto* k = dynamic_cast<const Polynomial*>(&s)) return k->state().beta.cwiseAbs().sum();
  if (const auto* k = dynamic_cast<const Chaos*>(&s)) return 10 * k->state().beta.cwiseAbs().sum();
  if (const auto* k = dynamic_cast<const Kriging*>(&s)) return k->state().weights.cwiseAbs().sum();
  if (const auto* k = dynamic_cast<const NearestKriging*>(&s))
    return k->state().residual.cwiseAbs().sum() / std::sqrt(k->state().nugget);
  if (const auto* k = dynamic_cast<const Rbf*>(&s)) return 10 * k->state().weights.cwiseAbs().sum();
  if (const auto* k = dynamic_cast<const Rescaled*>(&s)) return weight_of(*k->inner());
  if (const auto* k = dynamic_cast<const Reduced*>(&s)) return weight_of(k->inner());
  if (const auto* k = dynamic_cast<const Warped*>(&s)) return weight_of(k->inner());
  if (const auto* k = dynamic_cast<const Blend*>(&s)) return largest(k->members());
  if (const auto* k = dynamic_cast<const Along*>(&s)) return largest(k->members());
  if (const auto* k = dynamic_cast<const Components*>(&s)) return 10 * largest(k->state().scores);
  if (const auto* k = dynamic_cast<const Layered*>(&s)) return weight_of(k->base()) + weight_of(k->rest());
  if (const auto* k = dynamic_cast<const KrigingEnsemble*>(&s)) {
    double most = k->likeliest().state().weights.cwiseAbs().sum();
    for (const Kriging::State& member : k->state().members)
      most = std::max(most, member.weights.cwiseAbs().sum());
    return most;
  }
  return 0;
}

/// How far apart two right means of a response may be. \param size  the largest mean.
inline double mean_tolerance(const Model& model, int response, double size) {
  constexpr double epsilon = 2.3e-16;
  double weight = 0, solved = 0;
  bool warped = false;
  for (const int s : sources_of(model.problem, response)) {
    const Surrogate& surrogate = *model.parts[std::size_t(s)]->surrogate;
    weight = std::max(weight, weight_of(surrogate));
    warped = warped || dynamic_cast<const Warped*>(&surrogate);
    // Normal equations of runs near by, whose condition is up to 1e9, are solved at every setting.
    if (dynamic_cast<const Moving*>(&surrogate)) solved = 1e-9;
  }
  const bool derived = !model.parts[std::size_t(response)];
  return (derived ? 200 : 16) * epsilon * (warped ? (1 + weight) * size : weight + size) + solved * size;
}

inline constexpr const char* kinds_that_solve[] = {"moving", "moving_all", "moving_few", "nearest",
                                                   "layered"};

/// \param that_solve  also the kinds that solve a system at every setting.
inline Model model_of_every_kind(bool that_solve = true) {
  Problem p;
  p.name = "every kind";
  Parameter step = continuous("x2", -2, 3);
  step.step = 0.25;
  step.unit = "m/s";
  const Space space({continuous("x1", 0.5, 1.75), step, levels("n", {0, 1, 2, 5}),
                     choice("kind", {"red", "green", "dark \"blue\" */ <é>"})});
  p.space = space;
  p.fixed = {{"depth", "", "m", 50.0}};
  p.axes = {{"period", "s", {5, 7, 9.5, 10}}};
  const auto f = [](const Eigen::VectorXd& x) {
    return 3 + std::sin(4 * x[0]) + 0.3 * x[1] * x[1] + 0.1 * x[2] * x[0] + (x[3] == 1 ? x[0] : 0.2 * x[3]);
  };
  const Data data = data_of(sample_region(space, 90, Values::settable, 1, "runs"), f);
  Data curve = data;
  curve.outputs.resize(data.size(), 4);
  for (int q = 0; q < 4; ++q)
    curve.outputs.col(q) = data.outputs.col(0).array() * (q + 1) + data.inputs.col(0).array().pow(q);
  Data noisy = data;
  noisy.noisy = true;
  Model out;
  std::vector<std::shared_ptr<const Model::Part>> parts;
  const auto keep = [&](const std::string& name, std::shared_ptr<const Surrogate> surrogate,
                        bool is_curve = false) {
    if (!that_solve && std::count(std::begin(kinds_that_solve), std::end(kinds_that_solve), name) > 0) return;
    p.responses.emplace_back();
    p.responses.back().name = name;
    p.responses.back().unit = "kW";
    p.responses.back().axis = is_curve ? 0 : -1;
    parts.push_back(std::make_shared<const Model::Part>(Model::Part{std::move(surrogate), {}, "good"}));
  };
  const auto add = [&](const std::string& name, const Fit& fit, const Data& runs) {
    keep(name, fit(space, runs, 1), runs.outputs.cols() > 1);
  };
  add("polynomial", polynomial_fit({parse_terms(space, "quadratic")}), data);
  add("logarithm", polynomial_fit({parse_terms(space, "linear"), Confounded::refuse, {0}}), data);
  add("root", polynomial_fit({parse_terms(space, "linear"), Confounded::refuse, {0.5}}), noisy);
  for (const std::string& kernel : kernel_words.all())
    add("kriging_" + kernel.substr(0, kernel.find('-')) + (kernel.find('-') == kernel.npos ? "" : "_product"),
        kriging_fit({.kernel = kernel_words.value(kernel, ""), .trend = "linear"}), data);
  add("ensemble", kriging_fit({.draws = 8}), data);
  add("ensemble_of_noise", kriging_fit({.draws = 8}), noisy);
  add("warped", warped_kriging_fit({.kernel = Kernel::matern52}),
      data_of(data.inputs, [&](const Eigen::VectorXd& x) { return std::exp(2 * f(x)); }));
  add("nearest", nearest_kriging_fit({.kernel = Kernel::matern32}), data);
  add("layered", layered_kriging_fit({.kernel = Kernel::matern52}), data);
  add("chaos", chaos_fit(), data);
  add("chaos_of_noise", chaos_fit(), noisy);
  for (const std::string& basis : radial_basis_words.all())
    add("rbf_" + basis.substr(0, basis.find('-')), rbf_fit({.bases = {radial_basis_words.value(basis, "")}}),
        data);
  add("moving", moving_fit(), data);
  add("moving_all", moving_fit({.models = {"linear"}, .near = 90}), noisy);
  add("moving_few", moving_fit({.models = {"quadratic"}, .near = 22}), data);
  const auto some = [](const Space&, const Data&, Seed) { return std::vector<Eigen::Index>{0, 3}; };
  add("reduced", on_active_parameters(some, kriging_fit({.kernel = Kernel::matern52})), data);
  add("along", along_axis({polynomial_fit({parse_terms(space, "quadratic")})}), curve);
  add("shapes", along_components({kriging_fit({.kernel = Kernel::matern52})}), curve);
  const std::shared_ptr<const Surrogate> kriging = kriging_fit({.kernel = Kernel::matern52})(space, data, 1),
                                         chaos = chaos_fit()(space, data, 1);
  keep("rescaled", std::make_shared<Rescaled>(kriging, 1.7));
  keep("blend", std::make_shared<Blend>(Blend::Members{kriging, chaos}, Eigen::Vector2d(0.3, 0.7)));
  std::vector<bool> is_derived(p.responses.size(), false);
  const auto derive = [&](const std::string& name, const std::string& text) {
    p.responses.emplace_back();
    p.responses.back().name = name;
    is_derived.push_back(true);
    p.responses.back().derive = p.derivation(int(p.responses.size()) - 1, text, name);
    parts.emplace_back();
  };
  derive("ratio", "polynomial^2 / (1 + abs(chaos)) - depth * x1 / 100");
  derive("peak", "max(along) + min(shapes, 6, 9) * mean(shapes) - at(along, 8)");
  derive("place", "argmax(shapes, 5.5, 9.9) + argmin(along)");
  derive("span", "width(along, 6) + 0.5 * width(shapes, 9)");
  derive("branch",
         "kind == 'green' && x1 <= 1.2 || !(n < 2) ? exp(-x1) * sqrt(polynomial) : log10(chaos) + floor(x2)");
  derive(
      "rest",
      "sin(x1) + cos(x2) + tanh(x1) + cosh(x2) + tan(x1 / 4) + sinh(x1) + log2(x1) + sign(x2) + round(x2) + "
      "ceil(x2) + max(x1, x2) - min(x1, n)");
  derive("beyond", "ln(x2)");  // undefined where x2 is not above 0
  derive("chained", "ratio + peak");
  out.problem = std::move(p);
  out.parts = std::move(parts);
  out.coverage = Coverage(space, data.inputs);
  return out;
}

/// Settings that exist: m of the region, some of them runs, some far outside of what was run.
inline Eigen::MatrixXd settings_of_every_kind(const Model& model, Eigen::Index m) {
  Eigen::MatrixXd out = sample_region(model.problem.space, m, Values::physical, 2, "points");
  const Eigen::MatrixXd runs = sample_region(model.problem.space, 90, Values::settable, 1, "runs");
  for (Eigen::Index i = 0; i < m; ++i) {
    if (i % 10 == 0) out.row(i) = runs.row(i % 90);
    if (i % 10 == 1) out(i, 0) += 1.5;
    if (i % 10 == 2) out(i, 1) -= 0.4;
  }
  return out;
}

/// A number in JSON; NaN for what is none.
inline double number_of(const nlohmann::json& v) {
  return v.is_number() ? v.get<double>() : std::nan("");
}

/// Are these the predictions, to what rounding leaves?
/// \param value  (response, whether the deviation is asked, point, axis point) → number.
template <class Value>
void check_same(const Model& model, const Predictions& expected, const Value& value) {
  for (const ResponsePrediction& r : expected.responses) {
    const Response& response = model.problem.responses[std::size_t(r.response)];
    CAPTURE(response.name);
    const auto largest = [](const Eigen::MatrixXd& m) {
      return m.array().isFinite().select(m.array().abs(), 0).maxCoeff();
    };
    double worst = 0, worst_variance = 0;
    for (Eigen::Index i = 0; i < expected.size(); ++i)
      for (Eigen::Index q = 0; q < r.mean.cols(); ++q) {
        const double mean = value(response, false, i, q), sd = value(response, true, i, q);
        REQUIRE(std::isfinite(mean) == std::isfinite(r.mean(i, q)));
        REQUIRE(std::isfinite(sd) == std::isfinite(r.sd(i, q)));
        if (std::isfinite(mean)) worst = std::max(worst, std::abs(mean - r.mean(i, q)));
        if (std::isfinite(sd))
          worst_variance = std::max(worst_variance, std::abs(sd * sd - r.sd(i, q) * r.sd(i, q)));
      }
    CHECK(worst <= mean_tolerance(model, r.response, largest(r.mean)));
    CHECK(worst_variance <= 1e-8 * largest(r.sd) * largest(r.sd));
  }
}

}  // namespace renth::test
