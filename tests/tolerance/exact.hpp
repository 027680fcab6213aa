// Models of functions that are known, as if their surrogates knew them too.
#pragma once
#include <functional>
#include <memory>
#include <renth/numeric/parallel.hpp>
#include <renth/tolerance/tolerance.hpp>
#include <string>
#include <support.hpp>
#include <utility>
#include <vector>

namespace renth::test {

using Function = std::function<double(const Eigen::VectorXd&)>;

/// A function as a surrogate that is right everywhere, with run-to-run noise if it has some.
class Exactly final : public Surrogate {
 public:
  explicit Exactly(Function f, double noise = 0) : f_(std::move(f)), noise_(noise) {}
  std::string_view kind() const override { return "exact"; }
  void check(Points) const override {}
  Archive save() const override { throw Error("not kept", "test", ""); }

 protected:
  Prediction answer(Points points, Want) const override {
    Prediction p;
    p.mean.resize(points.rows(), 1);
    for (Eigen::Index i = 0; i < points.rows(); ++i) p.mean(i, 0) = f_(points.row(i).transpose());
    p.model_variance = Eigen::MatrixXd::Zero(points.rows(), 1);
    p.noise_variance = Eigen::MatrixXd::Constant(points.rows(), 1, noise_ * noise_);
    p.degrees_of_freedom = std::numeric_limits<double>::infinity();
    return p;
  }
  Eigen::MatrixXd joint_covariance(Points points, Eigen::Index) const override {
    return Eigen::MatrixXd::Zero(points.rows(), points.rows());
  }

 private:
  Function f_;
  double noise_;
};

/// One response a function, with what is accepted of it.
struct Known {
  Function f;
  Accept accept;
  double noise = 0;
};

/// A model of known functions and its specification.
class KnownModel {
 public:
  KnownModel(const Space& space, const std::vector<Known>& functions, SpecificationOptions options = {}) {
    auto model = std::make_shared<Model>();
    model->problem.space = space;
    for (const Parameter& p : space.parameters()) model->problem.order.push_back(p.name);
    for (std::size_t k = 0; k < functions.size(); ++k) {
      Response r;
      r.name = "y" + std::to_string(k + 1);
      r.accept = functions[k].accept;
      model->problem.responses.push_back(r);
      model->problem.noisy = model->problem.noisy || functions[k].noise > 0;
      model->parts.push_back(std::make_shared<Model::Part>(
          Model::Part{std::make_shared<Exactly>(functions[k].f, functions[k].noise), FoldModels()}));
    }
    Eigen::MatrixXd corners(2, space.size());
    for (Eigen::Index j = 0; j < space.size(); ++j) corners.col(j) << space[j].low, space[j].high;
    model->coverage = Coverage(space, corners);
    predictor_ = std::make_unique<Predictor>(model, parallel_for);
    specification_ = std::make_unique<Specification>(*predictor_, std::move(options));
  }
  const Specification& specification() const { return *specification_; }

 private:
  std::unique_ptr<Predictor> predictor_;
  std::unique_ptr<Specification> specification_;
};

/// A cube whose every parameter has normal scatter.
inline Space scattering(int d, double sd, double low = -5, double high = 5) {
  std::vector<Parameter> parameters = cube(d, low, high).parameters();
  for (Parameter& p : parameters) p.scatter = {Scatter::Shape::normal, sd, false};
  return Space(parameters);
}

inline Accept at_most(double value) {
  return {std::nullopt, value};
}
inline Accept at_least(double value) {
  return {value, std::nullopt};
}

}  // namespace renth::test
