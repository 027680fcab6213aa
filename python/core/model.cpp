#include "model.hpp"

#include <fmt/format.h>

#include <cmath>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/base/undefined.hpp>
#include <renth/export/forms.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/predict/predictor.hpp>
#include <renth/search/sought.hpp>
#include <renth/selection/fit_model.hpp>
#include <renth/sensitivity/rank.hpp>
#include <renth/table/whole_file.hpp>
#include <renth/tolerance/tolerance.hpp>
#include <renth/workflow/exporting_model.hpp>

#include "core.hpp"

namespace renth::python {
namespace {

py::object bounds(Eigen::MatrixXd& low, Eigen::MatrixXd& high) {
  if (low.size() == 0) return py::none();
  return py::make_tuple(array_of(std::move(low)), array_of(std::move(high)));
}

py::dict predict(const ModelHandle& h, Points points, double level, const std::vector<std::string>& names,
                 bool calibrated) {
  PredictionsAsked asked;
  asked.calibrated = calibrated;
  for (const std::string& name : names) asked.responses.push_back(h.response(name));
  Predictions p;
  {
    const py::gil_scoped_release released;
    p = h.predictor.predict(points, level, asked);
  }
  py::dict responses;
  for (ResponsePrediction& r : p.responses) {
    py::dict one;
    one["mean"] = array_of(std::move(r.mean));
    one["sd"] = array_of(std::move(r.sd));
    one["confidence"] = bounds(r.confidence_low, r.confidence_high);
    one["prediction"] = bounds(r.prediction_low, r.prediction_high);
    one["calibrated"] = bounds(r.calibrated_low, r.calibrated_high);
    responses[py::str(h.problem().responses[std::size_t(r.response)].name)] = one;
  }
  py::array_t<bool> inside(py::ssize_t(p.inside.size()));
  for (std::size_t i = 0; i < p.inside.size(); ++i) inside.mutable_at(py::ssize_t(i)) = p.inside[i] != 0;
  py::dict out;
  out["responses"] = responses;
  out["points"] = py::cast(std::move(p.points));
  out["inside"] = inside;
  out["failure_risk"] =
      p.failure_risk.empty()
          ? py::object(py::none())
          : py::object(py::array_t<double>(py::ssize_t(p.failure_risk.size()), p.failure_risk.data()));
  return out;
}

py::dict quality(const ModelHandle& h, const std::string& name) {
  const FittedModel::OfResponse& of = h.fitted(name);
  py::dict out;
  out["kind"] = std::string(of.fit.surrogate->kind());
  out["why"] = of.fit.why;
  out["settings"] = of.fit.settings;
  out["runs"] = of.quality.runs;
  out["r2"] = of.quality.r2;
  out["q2"] = of.quality.q2;
  out["rmse"] = of.quality.rmse;
  out["rmse_cv"] = of.quality.rmse_cv;
  out["max_abs_error"] = of.quality.max_abs_error;
  out["verdict"] = std::string(renth::name(of.judgement.verdict));
  out["reasons"] = of.judgement.reasons;
  out["next"] = of.judgement.next;
  py::list tried;
  for (const Tried& t : of.fit.tried) {
    py::dict one;
    one["kind"] = t.kind;
    one["settings"] = t.settings;
    one["q2"] = t.q2;
    one["rmse_cv"] = t.rmse_cv;
    one["why"] = t.why;
    tried.append(one);
  }
  out["tried"] = tried;
  return out;
}

py::list coefficients(const ModelHandle& h, const std::string& name, double level) {
  const auto& part = h.model().parts[std::size_t(h.response(name))];
  const Polynomial* polynomial = part ? polynomial_of(*part->surrogate) : nullptr;
  if (!polynomial)
    throw Error(name + " has no polynomial", "coefficients", "fit it with kind=\"polynomial\"");
  py::list out;
  for (const Coefficient& c : polynomial->coefficients(level)) {
    py::dict one;
    one["term"] = renth::name(h.problem().space, c.term);
    one["coefficient"] = c.value;
    one["std_error"] = c.std_error;
    one["t"] = c.t;
    one["p"] = c.p;
    one["low"] = c.low;
    one["high"] = c.high;
    one["vif"] = c.vif;
    out.append(one);
  }
  return out;
}

Ranking ranking(const ModelHandle& h, int response, double level, Seed seed) {
  if (h.problem().responses[std::size_t(response)].is_curve())
    throw Error("a curve is no single number", h.problem().responses[std::size_t(response)].name,
                "rank a response that is derived from it");
  RankOptions options;
  options.level = level;
  std::vector<Evaluate> folds;
  const int count = std::min(10, h.model().folds(response));
  for (int k = 0; k < count; ++k) {
    const int fold = int(std::int64_t(k) * h.model().folds(response) / count);
    folds.push_back([&h, response, fold](Points x) -> Eigen::VectorXd {
      return h.predictor.mean_of(response, x, fold).col(0);
    });
  }
  options.all_folds = h.model().folds(response);
  if (h.fit)
    for (const int s : sources_of(h.problem(), response)) {
      const FittedModel::OfResponse& of = *h.fit->responses[std::size_t(s)];
      RankOptions one;
      tell_what_is_missed(*of.fit.surrogate, of.data, of.quality.q2, one);
      options.missed = std::max(options.missed, one.missed);
      options.noise = std::max(options.noise, one.noise);
      options.runs = options.runs == 0 ? one.runs : std::min(options.runs, one.runs);
    }
  return rank_parameters(
      h.problem().space,
      [&h, response](Points x) -> Eigen::VectorXd { return h.predictor.mean_of(response, x).col(0); }, folds,
      options, seed);
}

py::list rank(const ModelHandle& h, const std::string& name, double level, Seed seed) {
  const int response = h.response(name);
  Ranking found;
  {
    const py::gil_scoped_release released;
    found = ranking(h, response, level, seed);
  }
  py::list out;
  for (const RankedParameter& p : found.parameters) {
    py::dict one;
    one["parameter"] = h.problem().space[p.parameter].name;
    one["share"] = p.share;
    one["low"] = p.low;
    one["high"] = p.high;
    one["first"] = p.first;
    one["total"] = p.total;
    out.append(one);
  }
  return out;
}

using Names = std::vector<std::string>;
using Values = std::map<std::string, double>;

py::list seek_in(const ModelHandle& h, const Names& maximise, const Names& minimise, const Values& target,
                 const Names& keep, const py::dict& hold, const Values& weight, int proposals, Seed seed) {
  SeekWishes wishes{
      maximise, minimise,           {target.begin(), target.end()}, {weight.begin(), weight.end()},
      keep,     settings_from(hold)};
  if (proposals < 1) throw Error("there must be a proposal", "proposals", "give 1 or more");
  SeekResult found;
  {
    const py::gil_scoped_release released;
    Notes notes;
    const Wanted want = wanted(h.problem(), wishes, "");
    if (want.goals.empty() && want.keep.empty())
      throw Error("there is nothing to aim at", "seek", "give maximise, minimise, target or keep");
    const auto sought = sought_problem(h.problem(), want, h.predictor, 0, notes);
    scale_constraints(sought->problem, seed);
    SeekOptions options;
    options.proposals = proposals;
    options.search.hold = held(h.problem(), want.hold);
    found = seek(sought->problem, options, seed);
  }
  py::list out;
  for (const Proposal& p : found.proposals) {
    py::dict one, responses;
    const Eigen::MatrixXd at = p.point.transpose();
    for (int k = 0; k < int(h.problem().responses.size()); ++k)
      if (h.predictor.has(k) && !h.problem().responses[std::size_t(k)].is_curve())
        responses[py::str(h.problem().responses[std::size_t(k)].name)] = h.predictor.mean_of(k, at)(0, 0);
    py::list free;
    for (const Eigen::Index j : p.free) free.append(h.problem().space[j].name);
    py::dict point;
    for (const Parameter& q : h.problem().space.parameters()) {
      const double v = p.point[*h.problem().space.find(q.name)];
      if (q.is_choice())
        point[py::str(q.name)] = q.choices[std::size_t(v)];
      else
        point[py::str(q.name)] = v;
    }
    one["point"] = point;
    one["row"] = p.point;
    one["responses"] = responses;
    one["desirability"] = p.desirability;
    one["feasible"] = p.feasible;
    one["limited_by"] = p.limited_by;
    one["free"] = free;
    out.append(one);
  }
  return out;
}

py::tuple triple(const Estimate& e) {
  return py::make_tuple(e.value, e.low, e.high);
}

py::dict tolerance_of(const ModelHandle& h, const Eigen::VectorXd& at, const Names& accept,
                      const std::map<std::string, std::tuple<std::string, double, bool>>& scatter,
                      Eigen::Index samples, double level, Seed seed) {
  // Another scatter makes another space, and so a model of its own.
  std::vector<Parameter> parameters = h.problem().space.parameters();
  for (const auto& [name, drift] : scatter) {
    const auto j = h.problem().space.find(name);
    if (!j) refuse_unknown("parameter", name, "scatter", h.problem().order);
    parameters[std::size_t(*j)].scatter = scatter_from(drift);
  }
  auto model = std::make_shared<Model>(h.model());
  model->problem.space =
      Space(std::move(parameters), h.problem().space.limits(), h.problem().space.correlations());
  ToleranceOptions options;
  options.samples = samples;
  options.level = level;
  ToleranceResult found;
  {
    const py::gil_scoped_release released;
    const Predictor predictor(model, parallel_for);
    SpecificationOptions wanted;
    wanted.accept = accepts_with(model->problem, accept, "accept");
    const Specification specification(predictor, wanted);
    found = tolerance(specification, at, options, seed);
  }
  py::dict responses, costs, out;
  for (const ResponseSpread& r : found.responses) {
    py::dict one;
    one["mean"] = r.mean;
    one["sd"] = r.sd;
    one["p05"] = r.p05;
    one["p50"] = r.p50;
    one["p95"] = r.p95;
    one["yield"] = r.yield.value;
    responses[py::str(h.problem().responses[std::size_t(r.response)].name)] = one;
  }
  for (const ParameterCost& c : found.parameters)
    costs[py::str(h.problem().space[c.parameter].name)] = triple(c.cost);
  out["value"] = found.yield.value;
  out["low"] = found.yield.low;
  out["high"] = found.yield.high;
  out["samples"] = found.samples;
  out["with_surrogate"] =
      found.with_surrogate ? py::object(triple(*found.with_surrogate)) : py::object(py::none());
  out["responses"] = responses;
  out["costs"] = costs;
  out["outside"] = found.outside;
  return out;
}

void export_to(const ModelHandle& h, const std::string& form, const std::string& file,
               const Names& responses) {
  const ExportForm& chosen = export_form(form);
  Model model = h.model();
  if (!responses.empty()) {
    std::vector<bool> needed(model.parts.size(), false);
    for (const std::string& name : responses)
      for (const int s : sources_of(h.problem(), h.response(name))) needed[std::size_t(s)] = true;
    for (std::size_t k = 0; k < model.parts.size(); ++k)
      if (!needed[k]) model.parts[k] = nullptr;
  }
  ModelAbout about;
  about.seed = h.seed;
  for (std::size_t k = 0; k < model.parts.size(); ++k)
    if (model.parts[k]) about.worth[h.problem().responses[k].name] = model.parts[k]->verdict;
  write_whole_file(file, chosen.write(model, about, file));
}

}  // namespace

int ModelHandle::response(const std::string& name) const {
  const int k = problem().response(name);
  if (k < 0) refuse_unknown("response", name, "responses", problem().response_names());
  if (!predictor.has(k)) throw Error(name + " has no surrogate", "responses", "fit it");
  return k;
}

const FittedModel::OfResponse& ModelHandle::fitted(const std::string& name) const {
  const int k = response(name);
  if (!fit || !fit->responses[std::size_t(k)])
    throw Error(problem().responses[std::size_t(k)].derive
                    ? name + " is derived and was not fitted"
                    : "the runs that " + name + " was fitted to are not here",
                "quality", "ask the study, or fit it here");
  return *fit->responses[std::size_t(k)];
}

void bind_model(py::module_& m) {
  py::class_<ModelHandle>(m, "ModelHandle")
      .def("problem", &ModelHandle::problem)
      .def("responses",
           [](const ModelHandle& h) {
             Names out;
             for (int k = 0; k < int(h.problem().responses.size()); ++k)
               if (h.predictor.has(k)) out.push_back(h.problem().responses[std::size_t(k)].name);
             return out;
           })
      .def("predict", &predict)
      .def("means",
           [](const ModelHandle& h, Points points, const std::string& name) {
             Eigen::MatrixXd out;
             const int k = h.response(name);
             {
               const py::gil_scoped_release released;
               check_points(h.problem().space, points);
               out = h.predictor.mean_of(k, points);
             }
             return array_of(std::move(out));
           })
      .def("verdict",
           [](const ModelHandle& h, const std::string& name) {
             // Of a derived response the worst of what it is made of.
             static const std::vector<std::string> order = {"", "good", "usable", "weak", "unfit"};
             std::string worst;
             for (const int s : sources_of(h.problem(), h.response(name))) {
               const std::string& v = h.model().parts[std::size_t(s)]->verdict;
               if (std::find(order.begin(), order.end(), v) > std::find(order.begin(), order.end(), worst))
                 worst = v;
             }
             return worst;
           })
      .def("quality", &quality)
      .def("coefficients", &coefficients)
      .def("rank", &rank)
      .def("seek", &seek_in)
      .def("tolerance", &tolerance_of)
      .def("export", &export_to);
  m.def("load_model", [](const std::string& file) {
    return ModelHandle(std::make_shared<const Model>(read_model_file(file)), nullptr, 0);
  });
}

}  // namespace renth::python
