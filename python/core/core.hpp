// What the parts of the Python module share.
#pragma once
#include <pybind11/eigen.h>
#include <pybind11/pybind11.h>
#include <pybind11/stl.h>

#include <renth/problem/problem.hpp>

namespace renth::python {

namespace py = pybind11;
using Released = py::call_guard<py::gil_scoped_release>;

void bind_space(py::module_& m);
void bind_plan(py::module_& m);
void bind_model(py::module_& m);
void bind_fit(py::module_& m);
void bind_study(py::module_& m);

/// Settings from Python: numbers, and text for choices.
Settings settings_from(const py::dict& given);
py::dict settings_to(const Settings& settings);

/// A column as an array of one dimension.
py::array_t<double> column_of(const Eigen::MatrixXd& m, Eigen::Index column = 0);
/// m × 1 as one dimension, m × q as two; not copied.
py::object array_of(Eigen::MatrixXd m);

/// The scatter of a parameter from (shape, size, relative).
Scatter scatter_from(const std::tuple<std::string, double, bool>& given);

}  // namespace renth::python
