// The commands of a study, and what they found last.
#pragma once
#include <optional>
#include <renth/store/session.hpp>
#include <string>
#include <vector>

namespace renth {

struct LogResult {
  /// What a verb found last.
  struct Found {
    std::string verb, variant, date;
    /// Neither the runs, the surrogates nor the study have changed since; nothing where that is no question,
    /// as of what was planned or run.
    std::optional<bool> up_to_date;
  };
  std::vector<LoggedCommand> commands;
  std::vector<Found> results;
  Notes notes;
};

/// Whether a change of runs, surrogates or the study is no question to what a verb found.
bool result_lasts(const std::string& verb);

LogResult log_of(Session& session);

}  // namespace renth
