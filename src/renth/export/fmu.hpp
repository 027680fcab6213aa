// A model as a Functional Mock-up Unit.
#pragma once
#include <renth/predict/model.hpp>
#include <renth/predict/model_about.hpp>
#include <string>
#include <string_view>

namespace renth {

/// The bytes of a unit of FMI 2.0 for co-simulation and model exchange (Modelica Association, Functional
/// Mock-up Interface for Model Exchange and Co-Simulation 2.0.4, 2022), with a binary for Linux and its
/// sources. Parameters are inputs, choices enumerations; outputs are R and R_sd of each response R, of a
/// curve R[1], R[2], …, and the boolean `inside`. Nothing has a state. \param file  its name becomes the
/// model's identifier. \throws Error  as model_on_tape(); (machine) this renth was built without what it
/// needs.
std::string fmu_bytes(const Model& model, const ModelAbout& about, const std::string& file);

/// fmi2.c: the functions of the interface.
std::string_view fmi2_source();

}  // namespace renth
