// Files that solvers write, read once for all responses.
#pragma once
#include <filesystem>
#include <map>
#include <nlohmann/json.hpp>
#include <renth/base/error.hpp>
#include <renth/table/table_file.hpp>
#include <string>

namespace renth {

/// Throws what a failed run will say.
[[noreturn]] void output_problem(const std::string& problem, const std::filesystem::path& file);

/// A finite number in a text; `name` is what it is for. \throws Error (solver)
double output_number(std::string_view text, const std::string& name, const std::filesystem::path& file);

/// The files of one call, each read and parsed when first asked for.
class OutputTexts {
 public:
  const std::string& text(const std::filesystem::path& file);
  const nlohmann::json& json(const std::filesystem::path& file);
  /// Comma-, semicolon- or tab-separated with a header, after `skip` lines.
  const TableFile& csv(const std::filesystem::path& file, int skip);
  /// Columns set apart by blanks, after `skip` lines; lines that begin with # or % and empty ones go. A first
  /// line that is no row of numbers names the columns; else they are 1, 2, …
  const TableFile& table(const std::filesystem::path& file, int skip);

 private:
  std::map<std::filesystem::path, std::string> texts_;
  std::map<std::filesystem::path, nlohmann::json> documents_;
  std::map<std::pair<std::filesystem::path, int>, TableFile> tables_;
};

}  // namespace renth
