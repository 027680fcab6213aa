#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/kept_production.hpp>
#include <renth/document/parts.hpp>
#include <renth/document/wording.hpp>
#include <renth/report/telling.hpp>

namespace renth {
namespace {

int count_runs(const Telling& t, RunStatus status) {
  return int(std::count_if(t.runs.begin(), t.runs.end(), [&](const Run& r) { return r.status == status; }));
}

std::string runs_sentence(const Telling& t) {
  const int done = count_runs(t, RunStatus::done), failed = count_runs(t, RunStatus::failed),
            left = count_runs(t, RunStatus::planned);
  const auto aside =
      std::count_if(t.runs.begin(), t.runs.end(), [](const Run& r) { return bool(r.set_aside); });
  if (t.runs.empty()) return "No run was planned yet.";
  std::string out = fmt::format("{} done", count_of(done, "run"));
  if (failed > 0)
    out +=
        fmt::format(", {} failed ({:.0f} % of those that ended)", failed, 100.0 * failed / (done + failed));
  if (left > 0) out += fmt::format(", {} still to be run", left);
  if (aside > 0) out += fmt::format(", {} set aside by hand", aside);
  return out + ".";
}

/// What is said of a weak or unfit surrogate wherever its numbers stand.
void warn_of_weak(Telling& t) {
  if (!t.trust) return;
  for (const auto& one : t.trust->responses) {
    const Judgement& j = one.model.judgement;
    if (j.verdict < Verdict::weak) continue;
    t.warn(fmt::format(
        "{} is {}: {}.{} What follows from it below is marked by this.",
        title_of_response(t.study(), one.model.response),
        j.verdict == Verdict::unfit ? "NOT to be predicted from these runs (unfit)" : "predicted weakly",
        j.reasons.empty() ? "its quality is low" : in_options(j.reasons.front()),
        j.next.empty() ? "" : " Next: " + in_options(j.next.front()) + "."));
  }
}

/// What must be known of the runs before anything is believed that follows from them.
void warn_of_runs(Telling& t) {
  if (!t.trust) return;
  for (const Note& n : t.trust->notes)
    for (const char* code : {"runs_failed", "set_aside", "never_moved", "not_repeatable"})
      if (n.code == code) t.warn(in_options(n.text) + ".");
}

void add_quality(const Telling& t, std::vector<std::string>& out) {
  if (!t.trust) {
    out.push_back("No surrogate is fitted: nothing is predicted below.");
    return;
  }
  for (const Verdict verdict : {Verdict::good, Verdict::usable}) {
    std::vector<std::string> which;
    for (const auto& one : t.trust->responses)
      if (one.model.judgement.verdict == verdict) {
        const Quality& q = one.model.quality;
        const std::string unit = unit_of_response(t.study(), one.model.response);
        which.push_back(fmt::format("{} (Q² {}, a run left out is typically missed by {}{})",
                                    title_of_response(t.study(), one.model.response), fixed(q.q2, 3),
                                    pretty(q.rmse_cv, 2), unit.empty() ? "" : " " + unit));
      }
    if (!which.empty())
      out.push_back(fmt::format("{}: {}.", verdict == Verdict::good ? "Predicted well" : "Predicted usably",
                                listed_words(which)));
  }
}

/// The parameter that matters most, if its share stands clear of the next one's.
void add_ranking(const Telling& t, std::vector<std::string>& out) {
  const Found* rank = t.of("rank");
  if (!rank) return;
  for (const Kept& r : part_of(rank->document, "responses")) {
    const Kept& parameters = part_of(r, "parameters");
    const std::string name = text_in(r, "response");
    if (!t.is_shown(name) || parameters.empty()) continue;
    const auto title = [&](std::size_t i) {
      return title_of_parameter(t.study(), text_in(parameters[i], "parameter"));
    };
    const double share = number_in(parameters[0], "share"), low = number_in(parameters[0], "low"),
                 high = number_in(parameters[0], "high");
    if (std::isnan(share)) continue;
    if (low <= 0) {  // of noise, or of what does not vary
      out.push_back(fmt::format("Which parameter moves {} cannot be told from these runs.",
                                title_of_response(t.study(), name)));
      continue;
    }
    std::string words = fmt::format("{} of the variance of {} comes from {}", share_text(share),
                                    title_of_response(t.study(), name), title(0));
    if (std::isfinite(low))
      words += fmt::format(" ({} at {:.0f} %)", share_range(low, high), 100 * level_in(rank->document));
    if (parameters.size() > 1 && std::isfinite(low) && number_in(parameters[1], "high") > low)
      words += fmt::format("; {} may matter as much", title(1));
    out.push_back(words + (rank->out_of_date ? " (out of date)." : "."));
  }
}

std::string predicted_words(const Telling& t, const Kept& responses) {
  std::vector<std::string> which;
  for (const Response& response : t.study().responses) {
    const std::string& name = response.name;
    if (!t.is_shown(name) || !responses.contains(name)) continue;
    const Kept& r = responses[name];
    if (!r.contains("mean") || !r["mean"].is_number()) continue;
    const Bounds b = bounds_in(r, "prediction");
    const int decimals = deserved_decimals(number_in(r, "mean"), number_in(r, "sd"));
    const std::string unit = unit_of_response(t.study(), name);
    which.push_back(fmt::format(
        "{} {}{}{}", title_of_response(t.study(), name), fixed(number_in(r, "mean"), decimals),
        std::isfinite(b.low) ? fmt::format(" ({} … {})", fixed(b.low, decimals), fixed(b.high, decimals))
                             : "",
        unit.empty() ? "" : " " + unit));
  }
  return listed_words(which);
}

void add_best(const Telling& t, std::vector<std::string>& out, std::vector<std::string>& next) {
  const Found* seek = t.of("seek");
  if (!seek) return;
  const Kept& d = seek->document.contains("scenarios") && !part_of(seek->document, "scenarios").empty()
                      ? part_of(seek->document, "scenarios")[0]
                      : seek->document;
  const Kept& proposals = part_of(d, "proposals");
  if (d.contains("feasible") && d["feasible"] == false)
    out.push_back("No setting holds all limits; which of them stand against each other is told below.");
  if (proposals.empty()) return;
  std::string at;
  for (const Figure& f : point_columns(t.study(), part_of(proposals[0], "point"))) {
    const auto* v = std::get_if<double>(&f.value);
    at += (at.empty() ? "" : ", ") + title_of_parameter(t.study(), f.title) + " " +
          (v ? pretty(*v, 5) : std::get<std::string>(f.value)) + (v && !f.unit.empty() ? " " + f.unit : "");
  }
  out.push_back(fmt::format("The best setting found: {}. Predicted there, with {:.0f} % of runs: {}{}.", at,
                            100 * level_in(seek->document),
                            predicted_words(t, part_of(proposals[0], "responses")),
                            seek->out_of_date ? " (out of date)" : ""));
  std::vector<std::string> edges;
  for (const Kept& l : part_of(proposals[0], "limited_by"))
    if (l.is_string()) edges.push_back(l.get<std::string>());
  if (!edges.empty())
    out.push_back(
        fmt::format("It is no peak: it lies at {}; beyond may be better still.", listed_words(edges)));
  const Found* confirm = t.of("confirm");
  if (!confirm) next.push_back("Compute the setting on the solver before it is believed: renth confirm");
}

void add_confirmed(const Telling& t, std::vector<std::string>& out) {
  const Found* confirm = t.of("confirm");
  if (!confirm) return;
  const Kept& proposals = part_of(confirm->document, "proposals");
  if (proposals.empty()) return;
  std::vector<std::string> words;
  bool missed = false;
  const Kept& responses = part_of(proposals[0], "responses");
  for (const Response& response : t.study().responses) {
    const std::string& name = response.name;
    if (!t.is_shown(name) || !responses.contains(name)) continue;
    const Kept& r = responses[name];
    if (!r.contains("computed") || !r["computed"].is_number()) continue;
    const bool inside = !r.contains("within_interval") || r["within_interval"] != false;
    missed = missed || !inside;
    words.push_back(fmt::format("{} {} {} where {} was predicted ({} %{})",
                                title_of_response(t.study(), name), pretty(number_in(r, "computed"), 4),
                                unit_of_response(t.study(), name), pretty(number_in(r, "predicted"), 4),
                                fixed(number_in(r, "error_percent"), 1),
                                inside ? "" : ", OUTSIDE its interval"));
  }
  if (!words.empty())
    out.push_back(fmt::format("On the solver (run {}): {}.{}", number_in(proposals[0], "run"),
                              listed_words(words), missed ? " The surrogate is wrong there." : ""));
}

void add_production(const Telling& t, std::vector<std::string>& out) {
  if (const Found* f = t.of("tolerance")) {
    const Bounds b = bounds_in(f->document, "yield_interval"),
                 wide = bounds_in(f->document, "surrogate_interval");
    out.push_back(fmt::format(
        "In production {} would be in specification ({} at {:.0f} %{}){}.",
        share_text(number_in(f->document, "yield")), share_range(b.low, b.high), 100 * level_in(f->document),
        std::isfinite(wide.low) ? ", " + share_range(wide.low, wide.high) + " with the surrogates' own errors"
                                : "",
        f->out_of_date ? " (out of date)" : ""));
  }
  if (const Found* f = t.of("window"); f && part_of(f->document, "window").contains("within"))
    out.push_back(fmt::format(
        "The operator may move within a window that is {} of the room, of which {} is in specification{}.",
        share_text(number_in(part_of(f->document, "window"), "volume")),
        share_text(number_in(part_of(f->document, "window"), "within")),
        f->out_of_date ? " (out of date)" : ""));
}

std::vector<std::string> next_steps(const Telling& t, std::vector<std::string> out) {
  if (t.runs.empty()) return {"Plan runs: renth plan"};
  if (count_runs(t, RunStatus::planned) > 0) out.push_back("Run what is planned: renth run");
  if (!t.trust) {
    if (count_runs(t, RunStatus::done) > 0) out.push_back("Fit surrogates: renth fit");
    return out;
  }
  for (const auto& one : t.trust->responses)
    if (one.model.judgement.verdict >= Verdict::usable && !one.model.judgement.next.empty())
      out.push_back(fmt::format("For {}: {}", title_of_response(t.study(), one.model.response),
                                in_options(one.model.judgement.next.front())));
  std::vector<std::string> old;
  for (const Found& f : t.found)
    if (f.out_of_date && std::find(old.begin(), old.end(), "renth " + f.verb) == old.end())
      old.push_back("renth " + f.verb);
  if (!old.empty()) out.push_back("Something has changed since these were asked: " + listed_words(old));
  if (!t.of("seek") && std::any_of(t.study().responses.begin(), t.study().responses.end(),
                                   [](const Response& r) { return bool(r.goal); }))
    out.push_back("Look for the best setting: renth seek");
  return out;
}

}  // namespace

std::string wish_of(const Study& study, const Response& r) {
  std::vector<std::string> parts;
  const std::string unit = r.unit.empty() ? "" : " " + r.unit;
  if (r.goal == Goal::Aim::maximise) parts.push_back("as large as possible");
  if (r.goal == Goal::Aim::minimise) parts.push_back("as small as possible");
  if (r.goal == Goal::Aim::target) parts.push_back("as near as possible to " + pretty(r.target, 5) + unit);
  if (r.accept.min) parts.push_back("at least " + pretty(*r.accept.min, 5) + unit);
  if (r.accept.max) parts.push_back("at most " + pretty(*r.accept.max, 5) + unit);
  if (!r.accept.min_along.empty() || !r.accept.max_along.empty())
    parts.push_back("within limits along " + study.axis_of(r)->name);
  if (parts.empty()) return "";
  return r.title() + ": " + listed_words(parts) +
         (r.goal && r.weight != 1 ? fmt::format(" (weight {})", pretty(r.weight, 3)) : "");
}

void tell_summary(Telling& t) {
  t.section("What was asked, and what was found");
  const Study& study = t.study();
  std::vector<std::string> wishes, found, next;
  for (const Response& r : study.responses)
    if (std::string wish = wish_of(study, r); !wish.empty()) wishes.push_back(std::move(wish));
  t.say(fmt::format("How do {} respond to {}?{}", count_of(int(study.responses.size()), "response"),
                    count_of(int(study.space.size()), "parameter"),
                    wishes.empty() ? "" : " Wanted: " + fmt::format("{}.", fmt::join(wishes, "; "))));
  warn_of_weak(t);
  warn_of_runs(t);
  found.push_back(runs_sentence(t));
  add_quality(t, found);
  add_ranking(t, found);
  add_best(t, found, next);
  add_confirmed(t, found);
  add_production(t, found);
  t.list(std::move(found));
  next = next_steps(t, std::move(next));
  if (!next.empty()) {
    t.part("What to do next");
    t.list(std::move(next));
  }
}

}  // namespace renth
