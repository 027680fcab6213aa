#include <renth/predict/model_file.hpp>
#include <renth/table/whole_file.hpp>
#include <renth/workflow/exporting_model.hpp>

namespace renth {

ModelExport export_model(Session& session, const std::vector<std::string>& responses,
                         const std::string& file) {
  const FittedStudy fitted(session, responses);
  const Model& model = fitted.model();
  const std::string text = model_text(model);
  write_whole_file(file, text);
  ModelExport out;
  out.file = file;
  out.bytes = text.size();
  for (std::size_t k = 0; k < model.parts.size(); ++k)
    if (const auto& part = model.parts[k])
      out.responses.push_back(
          {model.problem.responses[k].name, std::string(part->surrogate->kind()), part->verdict});
  out.notes = fitted.notes();
  note_weak_parts(model, out.notes);
  return out;
}

Model read_model_file(const std::string& file) {
  return read_model(read_whole_file(file, "cannot read", "name a file that renth export model wrote"), file);
}

}  // namespace renth
