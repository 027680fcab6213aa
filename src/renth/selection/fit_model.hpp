// All responses of a problem fitted to the same runs, ready to be asked.
#pragma once
#include <memory>
#include <optional>
#include <renth/predict/model.hpp>
#include <renth/selection/choose.hpp>
#include <vector>

namespace renth {

struct FittedModel {
  struct OfResponse {
    Data data;
    FittedResponse fit;
    Quality quality;
    Judgement judgement;
  };
  std::shared_ptr<const Model> model;                ///< for a Predictor, a model file, the exports
  std::vector<std::optional<OfResponse>> responses;  ///< one a response of the problem; none for derived ones
};

/// Fits each response that is not derived by fit_response(), judges it, and puts all together with what the
/// runs cover.
///
/// \param inputs   n × d, natural units.
/// \param outputs  one a response of the problem: n × 1, of a curve n × axis points; NaN is missing; of
/// derived ones
///                 empty.
/// \throws Error  as check_problem() and fit_response(), with the response's name; other numbers of rows.
FittedModel fit_model(const Problem& problem, Points inputs, const std::vector<Eigen::MatrixXd>& outputs,
                      const FitOptions& options = {});

}  // namespace renth
