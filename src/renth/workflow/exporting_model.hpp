// A study's surrogates as one file that works without it.
#pragma once
#include <functional>
#include <renth/predict/model_about.hpp>
#include <renth/workflow/fitted_study.hpp>
#include <string>
#include <vector>

namespace renth {

struct ModelExport {
  struct OfResponse {
    std::string response, kind, verdict;
  };
  std::string file;
  std::size_t bytes = 0;
  std::vector<OfResponse> responses;
  std::string how;  ///< what the file holds and how it is asked, in a line
  std::string
      next;  ///< a command that goes on with it, FILE and AT standing for the file and a setting; or none
  Notes notes;
};

/// The bytes of a model in some form.
using ModelWriter =
    std::function<std::string(const Model& model, const ModelAbout& about, const std::string& file)>;

/// Writes the model of some responses (all if none are named) with what they are derived from.
/// \throws Error  none has a surrogate; what the writer refuses; (machine) the file cannot be written: then
/// what
///                was there stays.
ModelExport export_model(Session& session, const std::vector<std::string>& responses, const std::string& file,
                         const ModelWriter& write);

/// Reads one back. \throws Error  no such file; as read_model().
Model read_model_file(const std::string& file);

}  // namespace renth
