// The commands of a study, and what they found last.
#pragma once
#include <renth/store/session.hpp>
#include <string>
#include <vector>

namespace renth {

struct LogResult {
  /// What a verb found last.
  struct Found {
    std::string verb, variant, date;
    bool up_to_date = false;  ///< neither the runs, the surrogates nor the study have changed since
  };
  std::vector<LoggedCommand> commands;
  std::vector<Found> results;
  Notes notes;
};

LogResult log_of(Session& session);

}  // namespace renth
