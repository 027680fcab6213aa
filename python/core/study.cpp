#include <renth/cli/cli.hpp>
#include <renth/document/json.hpp>
#include <renth/store/session.hpp>
#include <renth/workflow/fitted_study.hpp>
#include <renth/workflow/running.hpp>

#include "core.hpp"
#include "model.hpp"

namespace renth::python {
namespace {

/// One value, or as many as a sequence or an array has.
std::vector<double> values_of(py::handle value) {
  if (py::isinstance<py::sequence>(value) || py::isinstance<py::array>(value)) {
    const auto array = py::array_t<double, py::array::c_style | py::array::forcecast>::ensure(value);
    if (!array) throw py::error_already_set();
    return {array.data(), array.data() + array.size()};
  }
  return {py::float_(py::reinterpret_borrow<py::object>(value)).cast<double>()};
}

std::map<std::string, std::vector<double>> answers_of(const py::object& said, const Study& study) {
  std::map<std::string, std::vector<double>> out;
  if (py::isinstance<py::dict>(said)) {
    for (const auto& [name, value] : said.cast<py::dict>())
      out[py::str(name).cast<std::string>()] = values_of(value);
    return out;
  }
  if (said.is_none()) throw Error("it answered None", "function", "return the responses by name");
  std::vector<std::string> fitted;
  for (const Response& r : study.responses)
    if (!r.derive) fitted.push_back(r.name);
  if (fitted.size() != 1)
    throw Error("it answered no mapping, and there are several responses", "function", "return them by name");
  out[fitted[0]] = values_of(said);
  return out;
}

/// The words of a Python exception: "ValueError: mesh too coarse".
std::string words_of(const py::error_already_set& e) {
  const auto type = e.type().attr("__name__").cast<std::string>();
  const auto text = py::str(e.value()).cast<std::string>();
  return text.empty() ? type : type + ": " + text;
}

py::dict run_with(const std::string& folder, const std::string& name, const py::function& function,
                  const py::object& progress, bool retry, bool renew, const std::string& batch) {
  RunSummary summary;
  {
    const py::gil_scoped_release released;
    Session session(folder);
    RunningOptions options;
    options.retry_failed = retry;
    options.renew = renew;
    options.batch = batch;
    options.progress = [&](const Progress& p) {
      const py::gil_scoped_acquire held;
      if (!progress.is_none()) progress(p.done, p.failed, p.total);
      if (PyErr_CheckSignals() != 0) throw py::error_already_set();
    };
    summary = run_function(
        session, name,
        [&](const Settings& settings) {
          const py::gil_scoped_acquire held;
          try {
            return answers_of(function(settings_to(settings)), session.study);
          } catch (py::error_already_set& e) {
            // What ends a program ends the running; what a solver could not do fails its run.
            if (!e.matches(PyExc_Exception)) throw;
            throw Error(words_of(e), "function " + name, "", ErrorKind::solver);
          }
        },
        options);
  }
  py::dict out;
  out["done"] = summary.done;
  out["failed"] = summary.failed;
  out["left"] = summary.left;
  out["copied"] = summary.copied;
  py::list failures;
  for (const auto& [run, message] : summary.failures) {
    py::dict one;
    one["run"] = run;
    one["message"] = message;
    failures.append(one);
  }
  out["failures"] = failures;
  return out;
}

}  // namespace

void bind_study(py::module_& m) {
  m.def(
      "command",
      [](const std::vector<std::string>& words) {
        cli::Capture capture;
        const int status = cli::run(words);
        return std::make_tuple(status, capture.out, capture.err);
      },
      Released());
  m.def("run_function", &run_with);
  m.def("study_model", [](const std::string& folder, const std::vector<std::string>& responses) {
    const py::gil_scoped_release released;
    Session session(folder);
    const FittedStudy fitted(session, responses);
    return ModelHandle(std::make_shared<const Model>(fitted.model()), nullptr, session.study.seed);
  });
}

}  // namespace renth::python
