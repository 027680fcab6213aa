#include <renth/base/names.hpp>
#include <renth/export/c_source.hpp>
#include <renth/export/fmu.hpp>
#include <renth/export/forms.hpp>
#include <renth/export/onnx.hpp>
#include <renth/predict/model_file.hpp>
#include <vector>

namespace renth {

std::span<const ExportForm> export_forms() {
  static const ExportForm forms[] = {
      {"model", "all surrogates in one file, which predict --from-model and programs with the library read",
       "It predicts without the study, also elsewhere.", "renth predict --from-model FILE --at AT",
       [](const Model& model, const ModelAbout&, const std::string&) { return model_text(model); }},
      {"c", "C99 that needs nothing else: mean, deviation and inside of each response",
       "Its functions stand at the top: R_mean, R_sd and R_inside of each response R.",
       "cc -std=c99 -O2 -c FILE",
       [](const Model& model, const ModelAbout& about, const std::string&) {
         return c_source(model, about);
       }},
      {"onnx", "a graph of tensors in double precision, for what runs ONNX",
       "Input settings: a setting a row, parameters in the study's order; outputs R_mean and R_sd.", "",
       [](const Model& model, const ModelAbout& about, const std::string&) {
         return onnx_bytes(model, about);
       }},
      {"fmu", "a unit of FMI 2.0 for co-simulation and model exchange",
       "Inputs are the parameters; outputs R and R_sd of each response R, and inside.", "",
       [](const Model& model, const ModelAbout& about, const std::string& file) {
         return fmu_bytes(model, about, file);
       }}};
  return forms;
}

const ExportForm& export_form(const std::string& name) {
  std::vector<std::string> known;
  for (const ExportForm& form : export_forms()) {
    if (form.name == name) return form;
    known.emplace_back(form.name);
  }
  refuse_unknown("form", name, "export", known);
}

}  // namespace renth
