#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/workflow/named_settings.hpp>

namespace renth {

StoredProposal proposal_named(Session& session, const std::string& text) {
  const std::vector<StoredProposal> proposals = session.store.proposals();
  const std::string place = "--proposal " + text;
  if (proposals.empty())
    throw Error("nothing was sought yet", place, "renth seek, or name settings with --at");
  const std::size_t colon = text.rfind(':');
  const std::string scenario =
      colon == std::string::npos ? proposals.front().scenario : text.substr(0, colon);
  const std::string number = colon == std::string::npos ? text : text.substr(colon + 1);
  int rank = 0;
  const auto [end, error] = std::from_chars(number.data(), number.data() + number.size(), rank);
  if (error != std::errc() || end != number.data() + number.size())
    throw Error(number + " is not the rank of a proposal", place, "give 2, or SCENARIO:2");
  std::vector<std::string> known;
  int most = 0;
  for (const StoredProposal& p : proposals) {
    if (p.scenario == scenario && p.rank == rank) return p;
    if (p.scenario == scenario) most = std::max(most, p.rank);
    if (std::find(known.begin(), known.end(), p.scenario) == known.end()) known.push_back(p.scenario);
  }
  if (most > 0)
    throw Error(fmt::format("there is no proposal {}", text), "--proposal",
                fmt::format("the last seek made {}", most));
  std::erase(known, "");
  if (known.empty())
    throw Error("the last seek had no scenario " + scenario, place, "renth seek --scenario " + scenario);
  refuse_unknown("scenario", scenario, place, known);
}

std::string proposal_name(const StoredProposal& p) {
  const std::string rank = std::to_string(p.rank);
  return p.scenario.empty() ? rank : p.scenario + ":" + rank;
}

StoredMark mark_named(Session& session, const std::string& name) {
  std::vector<std::string> known;
  for (StoredMark& m : session.store.marks()) {
    if (m.name == name) return m;
    known.push_back(m.name);
  }
  if (known.empty())
    throw Error("no setting is marked", "--mark " + name, "renth mark " + name + " --at … keeps one");
  refuse_unknown("mark", name, "--mark", known);
}

Eigen::VectorXd setting_asked(Session& session, const SettingAsked& asked) {
  const Study& study = session.study;
  if (!asked.proposal.empty())
    return study.point(proposal_named(session, asked.proposal).settings, "--proposal " + asked.proposal);
  if (!asked.mark.empty())
    return study.point(mark_named(session, asked.mark).settings, "--mark " + asked.mark);
  return study.point(asked.at, "--at");
}

MarkResult list_marks(Session& session) {
  MarkResult out;
  for (const StoredMark& m : session.store.marks()) {
    out.marks.push_back({m.name, m.date, std::nullopt});
    try {
      out.marks.back().point = session.study.point(m.settings, "mark " + m.name);
    } catch (const Error& error) {
      add_note(out.notes, "no_longer_fits",
               fmt::format("{} no longer fits the study: {}", m.name, error.problem()));
    }
  }
  return out;
}

MarkResult keep_mark(Session& session, const std::string& name, const SettingAsked& asked) {
  if (!is_identifier(name))
    throw Error(name + " is no name", "mark", "use letters, digits and underscores, beginning with a letter");
  for (const StoredMark& m : session.store.marks())
    if (m.name == name)
      throw Error("there is a mark " + name + " already", "mark",
                  "renth mark --remove " + name + ", or another name");
  const Eigen::VectorXd point = setting_asked(session, asked);
  session.store.save_mark({name, session.study.settings(point)});
  MarkResult out = list_marks(session);
  out.done = name + " is kept: " + describe(session.study.space, point);
  if (!session.study.space.allows(point)) add_note(out.notes, "limit", name + " breaks a limit of the study");
  return out;
}

MarkResult remove_mark(Session& session, const std::string& name) {
  mark_named(session, name);
  session.store.remove_mark(name);
  MarkResult out = list_marks(session);
  out.done = name + " is no longer kept";
  return out;
}

}  // namespace renth
