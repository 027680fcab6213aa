#include <fmt/format.h>

#include <renth/predict/model_file.hpp>
#include <renth/table/whole_file.hpp>
#include <renth/workflow/exporting_model.hpp>
#include <renth/workflow/judging.hpp>

namespace renth {
namespace {

/// "good: Q² 0.98 …".
std::string worth_of(Session& session, const Response& response, const std::string& verdict) {
  Notes notes;  // they were told when the model was made
  const auto stored = current_surrogate(session, response, notes);
  std::string out = verdict;
  if (!stored) return out;
  const Judgement judgement = judgement_of(session, response, *stored);
  for (std::size_t k = 0; k < judgement.reasons.size(); ++k) out += (k ? "; " : ": ") + judgement.reasons[k];
  return out;
}

}  // namespace

ModelExport export_model(Session& session, const std::vector<std::string>& responses, const std::string& file,
                         const ModelWriter& write) {
  const FittedStudy fitted(session, responses);
  const Model& model = fitted.model();
  ModelAbout about;
  about.seed = session.study.seed;
  for (std::size_t k = 0; k < model.parts.size(); ++k)
    if (const auto& part = model.parts[k]) {
      const Response& r = model.problem.responses[k];
      about.worth[r.name] = worth_of(session, r, part->verdict);
    }
  const std::string bytes = write(model, about, file);
  write_whole_file(file, bytes);
  ModelExport out;
  out.file = file;
  out.bytes = bytes.size();
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
