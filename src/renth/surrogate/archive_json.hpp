// An archive as JSON that says what every value is called.
#pragma once
#include <nlohmann/json.hpp>
#include <renth/numeric/archive.hpp>

namespace renth {

/// {"kind", "version", "values": [{"name", "number" | "count" | "text" | "matrix" | "member"}, …]} in the
/// order in which a reader of the kind expects them. \param archive  as written, with its items.
nlohmann::ordered_json archive_to_json(const Archive& archive);
/// \throws Error  a value of no known type; a matrix whose size is not that of its bytes.
Archive archive_from_json(const nlohmann::ordered_json& json);

/// {"rows", "columns", "f64"}: base64 of the numbers column by column, little-endian.
nlohmann::ordered_json matrix_to_json(const Eigen::MatrixXd& matrix);
Eigen::MatrixXd matrix_from_json(const nlohmann::ordered_json& json);

}  // namespace renth
