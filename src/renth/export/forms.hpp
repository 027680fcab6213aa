// The forms in which a model leaves the library.
#pragma once
#include <renth/predict/model.hpp>
#include <renth/predict/model_about.hpp>
#include <span>
#include <string>
#include <string_view>

namespace renth {

struct ExportForm {
  std::string_view name;
  std::string_view what;  ///< in a line, for a list of them
  std::string_view how;   ///< how the file is asked, in a line
  std::string_view next;  ///< ModelExport::next
  std::string (*write)(const Model& model, const ModelAbout& about, const std::string& file);
};

std::span<const ExportForm> export_forms();

/// \throws Error  none is called so.
const ExportForm& export_form(const std::string& name);

}  // namespace renth
