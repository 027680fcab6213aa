// What computes the runs of a study: told apart when it changes between runs.
#pragma once
#include <renth/store/session.hpp>
#include <string>
#include <vector>

namespace renth {

/// What computes runs today, as JSON that is the same whenever it is: the formulas (blanks do not count); or
/// the command, a hash of each input template, and where each response is read. Empty for a manual study.
/// \throws Error  a template cannot be read.
std::string maker_document(const Study& study);

/// Runs that had one response from the same maker.
struct MadeAlike {
  bool today = false;   ///< is it what computes runs today?
  std::string differs;  ///< else in what it differs: "formula", "command, template", …
  std::vector<std::int64_t> runs;
};

/// The runs `ids` (ascending) by what computed a response in them, the first first. Imported runs and those
/// of before it was kept are in no group.
std::vector<MadeAlike> made_alike(Session& session, const Response& response,
                                  const std::vector<std::int64_t>& ids);

/// Does a maker give the same values as today's for every response of the study? True for an unknown one.
bool makes_the_same(const Study& study, const std::string& document, const std::string& today);

/// "runs 1 … 20, 25", for messages.
std::string listed_runs(const std::vector<std::int64_t>& ids);

}  // namespace renth
