#include <fmt/format.h>

#include <renth/space/region.hpp>

#include "core.hpp"

namespace renth::python {
namespace {

std::string shown(const Parameter& p) {
  if (p.is_choice()) {
    std::string names;
    for (const std::string& c : p.choices) names += (names.empty() ? "" : ", ") + c;
    return fmt::format("{} in {{{}}}", p.name, names);
  }
  return fmt::format("{} {} to {}{}{}", p.name, p.low, p.high, p.unit.empty() ? "" : " ", p.unit);
}

/// `count` values from one end to the other, or all that there are.
Eigen::VectorXd values_along(const Parameter& p, int count) {
  if (p.kind == Parameter::Kind::levels)
    return Eigen::Map<const Eigen::VectorXd>(p.values.data(), Eigen::Index(p.values.size()));
  return Eigen::VectorXd::LinSpaced(std::max(2, count), p.low, p.high);
}

Problem problem_of(const std::vector<Parameter>& parameters, const std::vector<std::string>& limits) {
  Problem out;
  out.space = Space(parameters);
  for (const Parameter& p : parameters) out.order.push_back(p.name);
  std::vector<Limit> parsed;
  for (const std::string& text : limits) parsed.push_back(out.limit(text, "limits"));
  out.space = out.space.with(std::move(parsed));
  return out;
}

}  // namespace

void bind_space(py::module_& m) {
  py::class_<Parameter>(m, "Parameter", "One thing that varies; made by continuous(), levels() and choice().")
      .def_readonly("name", &Parameter::name)
      .def_readonly("label", &Parameter::label)
      .def_readonly("unit", &Parameter::unit)
      .def_readonly("low", &Parameter::low, "the lower end of the span; of a choice 0")
      .def_readonly("high", &Parameter::high)
      .def_readonly("nominal", &Parameter::nominal, "the baseline; of a choice its index")
      .def_readonly("step", &Parameter::step)
      .def_readonly("values", &Parameter::values, "sizes that can be made, or levels")
      .def_readonly("hard", &Parameter::hard, "hard to set anew: optimal plans keep it for whole plots")
      .def_readonly("choices", &Parameter::choices, "names, if it is a choice")
      .def("levels", &values_along, py::arg("count") = 50,
           "Values from one end of the span to the other, or all levels.")
      .def("__repr__", &shown);
  m.def("continuous", &continuous);
  m.def("levels", &levels);
  m.def("choice", &choice);
  m.def("finish_parameter", [](Parameter p, const std::string& unit, const std::string& label,
                               std::optional<double> nominal, double step, std::vector<double> values,
                               std::optional<std::tuple<std::string, double, bool>> scatter, bool hard) {
    p.unit = unit;
    p.label = label;
    if (nominal) p.nominal = *nominal;
    if (step != 0) p.step = step;
    if (!values.empty()) p.values = std::move(values);
    if (scatter) p.scatter = scatter_from(*scatter);
    p.hard = hard;
    return p;
  });
  py::class_<Problem>(m, "Problem")
      .def(py::init(&problem_of))
      .def_property_readonly("parameters", [](const Problem& p) { return p.space.parameters(); })
      .def("nominal", [](const Problem& p) { return p.space.nominal(); })
      .def("allows",
           [](const Problem& p, Points points) {
             check_points(p.space, points);
             py::array_t<bool> out(points.rows());
             for (Eigen::Index i = 0; i < points.rows(); ++i)
               out.mutable_at(i) = p.space.allows(points.row(i).transpose());
             return out;
           })
      .def(
          "sample",
          [](const Problem& p, Eigen::Index count, Seed seed, bool settable) {
            return sample_region(p.space, count, settable ? Values::settable : Values::physical, seed,
                                 "sample");
          },
          Released());
}

}  // namespace renth::python
