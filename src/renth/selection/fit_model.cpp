#include <fmt/format.h>

#include <renth/base/error.hpp>
#include <renth/selection/fit_model.hpp>

namespace renth {
namespace {

/// The runs that have a value; of a curve all that have any.
Data data_for(const Problem& problem, Points inputs, const Eigen::MatrixXd& outputs) {
  std::vector<Eigen::Index> there;
  for (Eigen::Index i = 0; i < outputs.rows(); ++i)
    if (!outputs.row(i).array().isNaN().all()) there.push_back(i);
  return make_data(problem.space, inputs(there, Eigen::all), outputs(there, Eigen::all), problem.noisy);
}

FittedModel::OfResponse fitted(const Problem& problem, Points inputs, const Eigen::MatrixXd& outputs,
                               const FitOptions& options) {
  FittedModel::OfResponse out;
  out.data = data_for(problem, inputs, outputs);
  out.fit = fit_response(problem.space, out.data, options);
  const Surrogate& surrogate = *out.fit.surrogate;
  out.quality = measure_quality(problem.space, surrogate, out.data, out.fit.cv, nullptr);
  out.judgement = judge(out.quality, out.data.noisy, surrogate.kind(),
                        contenders(out.fit.tried, surrogate.kind(), out.quality.q2));
  return out;
}

}  // namespace

FittedModel fit_model(const Problem& problem, Points inputs, const std::vector<Eigen::MatrixXd>& outputs,
                      const FitOptions& options) {
  check_problem(problem);
  check_points(problem.space, inputs);
  const std::size_t count = problem.responses.size();
  if (outputs.size() != count)
    throw Error(fmt::format("outputs of {} responses, and there are {}", outputs.size(), count), "outputs",
                "give one matrix a response, empty for derived ones");
  FittedModel out;
  out.responses.resize(count);
  auto model = std::make_shared<Model>(Model{problem, {}, Coverage(problem.space, inputs), nullptr});
  model->parts.resize(count);
  for (std::size_t k = 0; k < count; ++k) {
    const Response& r = problem.responses[k];
    if (r.derive) continue;
    if (outputs[k].rows() != inputs.rows() || outputs[k].cols() != problem.outputs(r))
      throw Error(fmt::format("{} × {} outputs for {} runs of {} values", outputs[k].rows(),
                              outputs[k].cols(), inputs.rows(), problem.outputs(r)),
                  r.name, "give a row a run, in the order of the inputs");
    try {
      out.responses[k] = fitted(problem, inputs, outputs[k], options);
    } catch (const Error& e) {
      throw Error(e.problem(), r.name + (e.place().empty() ? "" : ": " + e.place()), e.remedy(), e.kind());
    }
    const FittedModel::OfResponse& of = *out.responses[k];
    model->parts[k] = std::make_shared<const Model::Part>(Model::Part{
        of.fit.surrogate, fold_models(of.fit.cv, of.data.outputs), std::string(name(of.judgement.verdict))});
  }
  check_model(*model);
  out.model = std::move(model);
  return out;
}

}  // namespace renth
