// What a solver wrote, as values of the responses.
#pragma once
#include <map>
#include <renth/solver/render.hpp>
#include <string>
#include <vector>

namespace renth {

/// What one call gave: a value for each response that is not derived; a curve has one an axis point, NaN
/// where its own axis does not reach. With `per`, a curve along that axis has the one value of the call.
struct Collected {
  std::map<std::string, std::vector<double>> values;
  std::vector<std::string> remarks;  ///< axis points that are missing, and why
};

/// Where to read: every file by its name in the folder, the output file by its own path.
struct OutputFiles {
  std::filesystem::path folder, output, printed;  ///< printed: what it wrote to standard output
  static OutputFiles of(const RunFolder& files) {
    return {files.folder, files.output, files.folder / "stdout"};
  }
};

/// Reads every response from where [solver] output says.
///
/// \param problems  nullptr: the first problem is thrown. Else all are put there, a line a response.
/// \throws Error (solver)  a file is missing, empty, or larger than 64 MiB; a response is missing or no
///         finite number; a curve has the wrong length, or does not reach any axis point.
Collected collect_outputs(const Study& study, const OutputFiles& files,
                          std::vector<std::string>* problems = nullptr);

/// The last lines of what the solver wrote to standard error, else to standard output.
std::string last_words(const std::filesystem::path& folder);

}  // namespace renth
