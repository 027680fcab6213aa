#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <renth/adaptive/feasibility.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/tolerance/unit_sample.hpp>
#include <renth/workflow/failing.hpp>
#include <set>

namespace renth {
namespace {

/// A message without what differs between runs of one trouble: "freeboard 0.12 m" becomes "freeboard … m".
/// Exit statuses and signals tell troubles apart and stay.
std::string reason_of(std::string message) {
  const std::string copied = ", which failed: ";
  if (const std::size_t at = message.find(copied);
      message.rfind("same settings as run", 0) == 0 && at != std::string::npos)
    message.erase(0, at + copied.size());
  std::string out;
  for (std::size_t i = 0; i < message.size();) {
    const bool digit = std::isdigit(static_cast<unsigned char>(message[i])) != 0;
    const bool in_word =
        !out.empty() && (std::isalpha(static_cast<unsigned char>(out.back())) || out.back() == '_');
    const auto follows = [&](const char* word) {
      return out.size() >= std::strlen(word) &&
             out.compare(out.size() - std::strlen(word), std::string::npos, word) == 0;
    };
    if (!digit || in_word || follows("exit status ") || follows("signal ")) {
      // A kept number is kept whole.
      do out.push_back(message[i++]);
      while (digit && i < message.size() && std::isdigit(static_cast<unsigned char>(message[i])));
      continue;
    }
    if (!out.empty() && (out.back() == '-' || out.back() == '+')) out.pop_back();
    while (i < message.size() &&
           (std::isdigit(static_cast<unsigned char>(message[i])) ||
            (std::string_view(".eE+-").find(message[i]) != std::string_view::npos && i + 1 < message.size() &&
             std::isdigit(static_cast<unsigned char>(message[i + 1])))))
      ++i;
    out += "…";
  }
  return out.empty() ? "no reason is known" : out;
}

bool is_partial(const Run& run) {
  return std::any_of(run.responses.begin(), run.responses.end(), [](const auto& o) {
    return std::any_of(o.second.values.begin(), o.second.values.end(),
                       [](double v) { return std::isnan(v); });
  });
}

}  // namespace

EndedRuns ended_runs(const Study& study, const std::vector<Run>& runs) {
  EndedRuns out;
  std::vector<Eigen::VectorXd> points;
  for (const Run& run : runs) {
    if ((run.status != RunStatus::done && run.status != RunStatus::failed) || run.set_aside) continue;
    try {
      points.push_back(point_of(study, run));
    } catch (const Error&) {
      continue;  // a choice that the study no longer has
    }
    out.failed.push_back(run.status == RunStatus::failed);
    out.ids.push_back(run.id);
  }
  out.points = stacked(points, study.space.size());
  return out;
}

FailuresResult find_failures(Session& session, double level) {
  FailuresResult out;
  out.level = level;
  const Space& space = session.study.space;
  std::map<std::string, std::vector<std::int64_t>> reasons;
  int aside = 0;
  const std::vector<Run> runs = session.store.runs();
  for (const Run& run : runs) {
    if (run.set_aside) {
      ++aside;
      continue;
    }
    out.done += run.status == RunStatus::done;
    out.failed += run.status == RunStatus::failed;
    out.partial += run.status == RunStatus::done && is_partial(run);
    if (run.status == RunStatus::failed) reasons[reason_of(run.message)].push_back(run.id);
  }
  if (aside > 0)
    add_note(out.notes, "set_aside", fmt::format("{} runs are set aside and not counted", aside));
  if (out.done + out.failed == 0) {
    add_note(out.notes, "nothing_run", "no run has ended yet");
    return out;
  }
  const Estimate share = share_of_independent(out.failed, out.done + out.failed, out.level);
  out.share = share.value;
  out.low = share.low;
  out.high = share.high;
  for (auto& [text, ids] : reasons) out.reasons.push_back({text, ids});
  std::stable_sort(out.reasons.begin(), out.reasons.end(),
                   [](const auto& a, const auto& b) { return a.runs.size() > b.runs.size(); });
  if (out.failed == 0) return out;
  const EndedRuns ended = ended_runs(session.study, runs);
  out.rule = separating_rule(space, ended.points, ended.failed, session.study.seed);
  if (!out.rule) {
    add_note(out.notes, "no_rule",
             "a rule needs at least three failed and three done runs, and settings that differ");
    return out;
  }
  out.rule_text = rule_text(space, *out.rule);
  const double worth = out.rule->separation();
  if (worth >= 0.5) out.limit_text = limit_text(space, *out.rule);
  out.sentence = worth >= 0.8   ? "The rule separates them well: it is the settings that make runs fail."
                 : worth >= 0.5 ? "The rule separates most of them; it is not the whole story."
                 : worth >= 0.3
                     ? "The rule tells only a part: more than two cuts, or something else besides, decides."
                     : "That is hardly better than chance: failures are scattered over the space, or depend "
                       "on more than two cuts. Look at the "
                       "reasons above first.";
  return out;
}

LearnedFeasibility learned_feasibility(Session& session) {
  // Every verb that predicts asks: where nothing failed, without reading what the runs gave.
  const std::vector<RunHead> heads = session.store.heads();
  if (std::none_of(heads.begin(), heads.end(),
                   [](const RunHead& h) { return h.status == RunStatus::failed; }))
    return {};
  const EndedRuns ended = ended_runs(session.study, session.store.runs());
  const auto failed = std::count(ended.failed.begin(), ended.failed.end(), true);
  LearnedFeasibility out;
  if (failed == 0) return out;
  out.share = double(failed) / double(ended.failed.size());
  if (failed == static_cast<std::ptrdiff_t>(ended.failed.size())) return out;
  const std::string bytes = session.worked_out("feasibility", 0, [&] {
    return feasibility_fit(session.study.space, ended.points, ended.failed, session.study.seed)->save().bytes;
  });
  out.chance = Feasibility::load({"feasibility", 1, bytes, {}});
  return out;
}

JournalResult journal_of(Session& session, const std::vector<std::int64_t>& runs) {
  JournalResult out;
  std::set<std::int64_t> exist;
  for (const RunHead& head : session.store.heads()) exist.insert(head.id);
  for (const std::int64_t id : runs)
    if (exist.count(id) == 0)
      throw Error(fmt::format("there is no run {}", id), "--only", "renth runs lists them");
  for (JournalEntry& e : session.store.journal())
    if (runs.empty() || std::find(runs.begin(), runs.end(), e.run) != runs.end())
      out.entries.push_back(std::move(e));
  return out;
}

}  // namespace renth
