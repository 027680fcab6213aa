// What computes the runs of a study: told apart when it changes between runs.
#pragma once
#include <map>
#include <nlohmann/json.hpp>
#include <renth/store/session.hpp>
#include <set>
#include <string>
#include <vector>

namespace renth {

/// What computes runs today, as JSON that is the same whenever it is: the formulas (blanks do not count); or
/// the command, a hash of each input template, and where each response is read; or the name of the caller's
/// function. Empty for a manual study that nothing computes: then any maker counts as today's. \throws Error
/// a template cannot be read.
std::string maker_document(const Study& study);

/// Runs that had one response from the same maker.
struct MadeAlike {
  bool today = false;   ///< is it what computes runs today?
  std::string differs;  ///< else in what it differs: "formula", "command, template", …
  std::vector<std::int64_t> runs;
};

/// What has computed the runs of a study until now, and what does today.
class Makers {
 public:
  /// \throws Error  as maker_document().
  explicit Makers(Session& session);

  /// As maker_document().
  const std::string& today() const { return today_; }
  /// Does a maker (Run::maker) give the same values as today's for every response? True for an unknown one.
  bool as_today(std::int64_t maker) const { return other_.count(maker) == 0; }
  /// The runs `ids` (ascending) by what computed a response in them, the first first. Imported runs and those
  /// of before it was kept are in no group.
  std::vector<MadeAlike> of(const Response& response, const std::vector<std::int64_t>& ids) const;

 private:
  Session& session_;
  std::string today_;
  nlohmann::json today_parsed_;
  std::map<std::int64_t, nlohmann::json> known_;
  std::set<std::int64_t> other_;  // those of the known ones that give something else for a response
};

}  // namespace renth
