// What a solver wrote, as values of the responses.
#pragma once
#include <map>
#include <renth/solver/render.hpp>
#include <string>
#include <vector>

namespace renth {

/// Reads every response that is not derived from the run's output: JSON by name, the last row of a
/// CSV table by column (a curve by columns name_1, name_2, …), or a text pattern (its last match; in the
/// output file if there is one, else in what the solver printed).
///
/// \throws Error (solver)  the file is missing, empty, larger than 64 MiB or unreadable; a response is
/// missing or is not a
///         finite number; a curve has the wrong length.
std::map<std::string, std::vector<double>> collect_outputs(const Study& study, const RunFolder& files);

/// The last lines of what the solver wrote to standard error, else to standard output.
std::string last_words(const RunFolder& files);

}  // namespace renth
