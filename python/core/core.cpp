#include "core.hpp"

#include <memory>
#include <renth/base/error.hpp>
#include <renth/base/words.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/table/module.hpp>
#include <renth/version.hpp>

namespace renth::python {

Settings settings_from(const py::dict& given) {
  Settings out;
  for (const auto& [name, value] : given) {
    const auto key = py::str(name).cast<std::string>();
    if (py::isinstance<py::str>(value))
      out[key] = value.cast<std::string>();
    else
      out[key] = py::float_(py::reinterpret_borrow<py::object>(value)).cast<double>();
  }
  return out;
}

py::dict settings_to(const Settings& settings) {
  py::dict out;
  for (const auto& [name, value] : settings) {
    if (const auto* number = std::get_if<double>(&value))
      out[py::str(name)] = *number;
    else
      out[py::str(name)] = std::get<std::string>(value);
  }
  return out;
}

py::array_t<double> column_of(const Eigen::MatrixXd& m, Eigen::Index column) {
  return py::array_t<double>(m.rows(), m.col(column).data());
}

py::object array_of(Eigen::MatrixXd m) {
  if (m.cols() == 1) return py::cast(Eigen::VectorXd(std::move(m).col(0)));
  return py::cast(std::move(m));
}

Scatter scatter_from(const std::tuple<std::string, double, bool>& given) {
  const auto& [shape, size, relative] = given;
  static constexpr EnumWords<Scatter::Shape, 5> words{
      "scatter", {"none", "normal", "uniform", "triangular", "lognormal"}};
  return {words.value(shape, "scatter"), size, relative};
}

namespace {

std::unique_ptr<ParallelLimit>& threads() {
  static auto* limit = new std::unique_ptr<ParallelLimit>();  // lives as long as the process
  return *limit;
}

/// Errors of the library become renth.Error.
void translate(std::exception_ptr pointer) {
  try {
    if (pointer) std::rethrow_exception(pointer);
  } catch (const Error& e) {
    const py::object type = py::module_::import("renth._error").attr("Error");
    const py::object error = type(e.problem(), e.place(), e.remedy(), int(e.kind()));
    PyErr_SetObject(type.ptr(), error.ptr());
  }
}

}  // namespace
}  // namespace renth::python

PYBIND11_MODULE(_core, m) {
  using namespace renth::python;
  m.attr("version") = renth::version;
  threads() = std::make_unique<renth::ParallelLimit>();
  m.def("set_threads", [](int count) {
    threads().reset();
    threads() = std::make_unique<renth::ParallelLimit>(count);
  });
  m.def("set_module_folder", &renth::set_module_folder);
  py::register_exception_translator(&translate);
  bind_space(m);
  bind_plan(m);
  bind_model(m);
  bind_fit(m);
  bind_study(m);
}
