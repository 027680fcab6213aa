// A Model as one self-contained text: everything that is needed to predict, in an open form.
#pragma once
#include <renth/predict/model.hpp>
#include <string>
#include <string_view>

namespace renth {

/// JSON (docs/model-file.md): the problem in words and numbers; of each surrogate its values by name, arrays
/// in base64 of little-endian IEEE 754; what intervals need; a CRC-32 at the end. Read back, the model
/// predicts the same bits.
std::string model_text(const Model& model);

/// Reads what model_text() wrote, of this version or an earlier one.
/// \param place  where the text comes from, for messages.
/// \throws Error  no model; damaged; made by a later version; contradicts itself.
Model read_model(std::string_view text, const std::string& place);

}  // namespace renth
