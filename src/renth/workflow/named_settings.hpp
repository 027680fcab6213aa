// Settings by the names that they have in a study: proposals of the last seek, marks.
#pragma once
#include <optional>
#include <renth/store/session.hpp>
#include <string>
#include <vector>

namespace renth {

/// "2" is the second proposal of the last seek (of its first scenario), "sheltered:1" the first of a
/// scenario. \throws Error  nothing was sought; there is none such.
StoredProposal proposal_named(Session& session, const std::string& text);

/// The name that proposal_named() finds it by.
std::string proposal_name(const StoredProposal& proposal);

/// \throws Error  there is no such mark.
StoredMark mark_named(Session& session, const std::string& name);

/// How a verb that looks at one setting was told which.
struct SettingAsked {
  Settings at;           ///< by settings; what is not given is nominal
  std::string proposal;  ///< else a proposal
  std::string mark;      ///< else a mark
  bool any() const { return !at.empty() || !proposal.empty() || !mark.empty(); }
};
/// \returns  d natural values; the nominal setting if nothing was asked. \throws Error  unknown names; a
/// setting
///           that no longer fits the study.
Eigen::VectorXd setting_asked(Session& session, const SettingAsked& asked);

struct MarkResult {
  struct Mark {
    std::string name, date;
    std::optional<Eigen::VectorXd> point;  ///< nothing: it no longer fits the study
  };
  std::vector<Mark> marks;
  std::string done;  ///< what was done, in a sentence; empty: they were listed
  Notes notes;
};
/// Keeps a setting by name. \throws Error  a name that is no identifier; one that is taken.
MarkResult keep_mark(Session& session, const std::string& name, const SettingAsked& asked);
MarkResult remove_mark(Session& session, const std::string& name);
MarkResult list_marks(Session& session);

}  // namespace renth
