#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/selection/fit_model.hpp>

#include "core.hpp"
#include "model.hpp"

namespace renth::python {
namespace {

FitOptions options_of(const py::dict& given, Seed seed) {
  FitOptions out;
  out.seed = seed;
  for (const auto& [key, value] : given) {
    const auto name = key.cast<std::string>();
    if (value.is_none()) continue;
    try {
      if (name == "kind")
        out.kind = value.cast<std::string>();
      else if (name == "terms")
        out.request.terms = value.cast<std::string>();
      else if (name == "transform")
        out.request.transform.lambda = value.cast<double>();
      else if (name == "kernel")
        out.request.kernel = kernel_words.value(value.cast<std::string>(), "kernel");
      else if (name == "trend")
        out.request.trend = value.cast<std::string>();
      else if (name == "nugget") {
        out.request.nugget = KrigingOptions::Nugget::fixed;
        out.request.noise_variance = value.cast<double>();
      } else if (name == "basis")
        out.request.basis = radial_basis_words.value(value.cast<std::string>(), "basis");
      else if (name == "choose")
        out.choice.method = choice_method_words.value(value.cast<std::string>(), "choose");
      else if (name == "repeats")
        out.choosing.repeats = value.cast<int>();
      else if (name == "candidates")
        out.choosing.most_candidates = value.cast<int>();
      else
        refuse_unknown("option", name, "fit",
                       {"kind", "terms", "transform", "kernel", "trend", "nugget", "basis", "choose",
                        "repeats", "candidates"});
    } catch (const py::cast_error&) {
      throw Error(name + " has a value of another type", "fit",
                  "give a number, or a text where names are meant");
    }
  }
  return out;
}

ModelHandle fit_to(Problem problem, Points points,
                   const std::vector<std::pair<std::string, Eigen::MatrixXd>>& outputs,
                   const std::map<std::string, std::pair<std::string, std::vector<double>>>& axes,
                   const std::vector<std::pair<std::string, std::string>>& derive,
                   const std::map<std::string, std::string>& units, bool noisy, const py::dict& given,
                   Seed seed) {
  const FitOptions options = options_of(given, seed);
  const py::gil_scoped_release released;
  problem.noisy = noisy;
  std::vector<Eigen::MatrixXd> matrices;
  const auto unit_of = [&](const std::string& name) {
    const auto found = units.find(name);
    return found == units.end() ? std::string() : found->second;
  };
  for (const auto& [name, values] : outputs) {
    Response r;
    r.name = name;
    r.unit = unit_of(name);
    const auto axis = axes.find(name);
    if (values.cols() > 1 || axis != axes.end()) {
      if (axis == axes.end())
        throw Error("it is a curve without an axis", name,
                    "give axes={\"" + name + "\": (\"period\", [5, 6, 7])}");
      r.axis = int(problem.axes.size());
      problem.axes.push_back({axis->second.first, "", axis->second.second});
    }
    problem.responses.push_back(std::move(r));
    matrices.push_back(values);
  }
  for (const auto& [name, axis] : axes)
    if (problem.response(name) < 0)
      throw Error("an axis of " + name + ", which has no outputs", "axes", "leave it out");
  // One may use another: each as soon as what it uses is there.
  std::vector<std::pair<std::string, std::string>> left = derive;
  while (!left.empty()) {
    const std::size_t before = left.size();
    std::optional<Error> trouble;
    for (auto at = left.begin(); at != left.end();) {
      Response r;
      r.name = at->first;
      r.unit = unit_of(r.name);
      problem.responses.push_back(r);
      try {
        problem.responses.back().derive = problem.derivation(int(problem.responses.size()) - 1, at->second,
                                                             "derive[\"" + at->first + "\"]");
        matrices.emplace_back();
        at = left.erase(at);
      } catch (const Error& e) {
        trouble = e;
        problem.responses.pop_back();
        ++at;
      }
    }
    if (left.size() == before) throw *trouble;
  }
  auto fitted = std::make_shared<const FittedModel>(fit_model(problem, points, matrices, options));
  return ModelHandle(fitted->model, fitted, seed);
}

}  // namespace

void bind_fit(py::module_& m) {
  m.def("fit", &fit_to);
}

}  // namespace renth::python
