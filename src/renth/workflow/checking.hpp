// What a study file means, and what its change means for runs that exist.
#pragma once
#include <renth/store/session.hpp>

namespace renth {

/// What `check` understood, and what a change of the study means for runs that exist.
struct CheckResult {
  double feasible_share = 1;
  int suggested = 0;
  int planned = 0, running = 0, done = 0, failed = 0, set_aside = 0;
  Notes notes;
};

/// What the sources of [solver] output find in a saved output.
struct SampleCheck {
  std::string file;
  std::map<std::string, std::vector<double>> values;
  std::vector<std::string> problems;
  Notes notes;
};

/// Counts, the share of the box that the limits leave, and a note for everything that does not fit:
/// runs outside a narrowed span, at levels or choices that are gone, without a parameter that was
/// added, with one that was removed; responses that are gone or that old runs lack; new axis points;
/// surrogates out of date.
CheckResult check_study(Session& session);

/// What the sources of [solver] output find in a saved output: in a file, taken for the output file and for
/// every other file that a source names unless that stands beside it; or in a folder like a run's.
/// \throws Error  no such file or folder; the study has no solver that writes outputs.
SampleCheck check_sample(const Study& study, const std::string& file);

}  // namespace renth
