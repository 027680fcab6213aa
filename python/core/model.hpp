// A model that Python holds.
#pragma once
#include <memory>
#include <renth/numeric/parallel.hpp>
#include <renth/predict/predictor.hpp>
#include <renth/selection/fit_model.hpp>
#include <string>

namespace renth::python {

struct ModelHandle {
  ModelHandle(std::shared_ptr<const Model> model, std::shared_ptr<const FittedModel> fitted, Seed made_with)
      : predictor(std::move(model), parallel_for), fit(std::move(fitted)), seed(made_with) {}
  const Model& model() const { return predictor.model(); }
  const Problem& problem() const { return predictor.problem(); }
  /// \throws Error  there is none of this name, or it cannot be predicted.
  int response(const std::string& name) const;
  /// \throws Error  it was not fitted here.
  const FittedModel::OfResponse& fitted(const std::string& name) const;

  Predictor predictor;
  std::shared_ptr<const FittedModel> fit;  ///< none: it came from a file or a study
  Seed seed;
};

}  // namespace renth::python
