// A study's surrogates as one file that predicts without it.
#pragma once
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
  Notes notes;
};

/// Writes the model of some responses (all if none are named) with what they are derived from.
/// \throws Error  none has a surrogate; (machine) the file cannot be written: then what was there stays.
ModelExport export_model(Session& session, const std::vector<std::string>& responses,
                         const std::string& file);

/// Reads one back. \throws Error  no such file; as read_model().
Model read_model_file(const std::string& file);

}  // namespace renth
