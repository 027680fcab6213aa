#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/plan/methods.hpp>

#include "core.hpp"

namespace renth::python {
namespace {

/// Reads one option of a request, if this is its name.
template <class Value>
bool take(const std::string& name, const char* wanted, py::handle value, Value& out) {
  if (name != wanted) return false;
  out = value.cast<Value>();
  return true;
}

PlanRequest request_of(const py::dict& options) {
  PlanRequest r;
  for (const auto& [key, value] : options) {
    const auto name = key.cast<std::string>();
    try {
      if (name == "at") {
        r.at = value.cast<Eigen::MatrixXd>().row(0).transpose();
        continue;
      }
      if (take(name, "runs", value, r.runs) || take(name, "criterion", value, r.criterion) ||
          take(name, "model", value, r.model) || take(name, "levels", value, r.levels) ||
          take(name, "replicates", value, r.replicates) || take(name, "resolution", value, r.resolution) ||
          take(name, "generators", value, r.generators) || take(name, "axial", value, r.axial) ||
          take(name, "centre", value, r.centre) || take(name, "blocks", value, r.blocks) ||
          take(name, "stage", value, r.stage) || take(name, "restarts", value, r.restarts) ||
          take(name, "random_order", value, r.random_order) || take(name, "existing", value, r.existing) ||
          take(name, "candidates", value, r.candidates) || take(name, "pure_error", value, r.pure_error) ||
          take(name, "whole_plots", value, r.whole_plots) ||
          take(name, "variance_ratio", value, r.variance_ratio) || take(name, "effort", value, r.effort))
        continue;
    } catch (const py::cast_error&) {
      throw Error(name + " has a value of another type", "plan",
                  "give a number, or a text where names are meant");
    }
    refuse_unknown("option", name, "plan",
                   {"runs",       "criterion",  "model",        "levels",         "replicates",
                    "resolution", "generators", "axial",        "centre",         "blocks",
                    "stage",      "restarts",   "random_order", "existing",       "candidates",
                    "at",         "pure_error", "whole_plots",  "variance_ratio", "effort"});
  }
  return r;
}

}  // namespace

void bind_plan(py::module_& m) {
  m.def("plan_methods", [] {
    std::vector<std::pair<std::string, std::string>> out;
    for (const PlanMethod& method : plan_methods()) out.emplace_back(method.name, method.summary);
    return out;
  });
  m.def("make_plan", [](const Problem& problem, std::string method, const py::dict& options, Seed seed,
                        bool noisy) {
    PlanRequest request = request_of(options);
    Plan plan;
    {
      const py::gil_scoped_release released;
      std::string why;
      if (method.empty()) {
        const PlanChoice choice = choose_plan(problem.space, noisy, request.existing.rows(), request, seed);
        method = choice.method;
        why = choice.why;
        request = choice.request;
        if (method != "spread" && method != "optimal") request.existing = {};
      }
      plan = plan_method(method).make(problem.space, request, seed);
      if (!why.empty()) plan.notes.insert(plan.notes.begin(), method + ": " + why);
    }
    py::dict out;
    out["points"] = py::cast(std::move(plan.points));
    out["origins"] = plan.origins;
    out["blocks"] = plan.blocks;
    out["method"] = plan.method;
    out["notes"] = plan.notes;
    out["seed"] = plan.seed;
    return out;
  });
}

}  // namespace renth::python
