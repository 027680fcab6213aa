// What a run gives its solver: the input file and the command line.
#pragma once
#include <filesystem>
#include <renth/study/study.hpp>
#include <string>
#include <vector>

namespace renth {

/// Fills `{{name}}` with the value of a parameter, `{{run}}` with the run's number. Numbers keep full
/// precision (shortest text that reads back the same). \throws Error  an unknown name, with its line.
std::string render_template(const std::string& text, const Settings& settings, std::int64_t run,
                            const std::string& file);

/// The settings as one JSON object, with "run".
std::string render_json(const Settings& settings, std::int64_t run);

/// The files of one run.
struct RunFolder {
  std::filesystem::path folder;  ///< study/runs/000001
  std::filesystem::path input, output;
  static RunFolder of(const Study& study, std::int64_t run);
};

/// Makes the folder anew and writes the input. \throws Error (machine)  cannot be written.
void prepare_run(const Study& study, const RunFolder& files, const Settings& settings, std::int64_t run);

/// The command with {input}, {output} and {run} filled in.
std::vector<std::string> render_command(const Study& study, const RunFolder& files, std::int64_t run);

}  // namespace renth
