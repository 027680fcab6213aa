#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/solver/collect.hpp>
#include <renth/solver/render.hpp>
#include <renth/store/maker.hpp>
#include <renth/workflow/checking.hpp>
#include <set>

namespace renth {
namespace {

/// Runs that a condition holds for, told once.
template <class Is>
void tell(const std::vector<Run>& runs, Notes& notes, const char* code, const std::string& text,
          const Is& is) {
  std::vector<std::int64_t> ids;
  for (const Run& run : runs)
    if (is(run)) ids.push_back(run.id);
  if (!ids.empty()) add_note(notes, code, fmt::format("{} ({})", text, listed_runs(ids)));
}

void check_parameter(const Study& study, const Parameter& p, const std::vector<Run>& runs, Notes& notes) {
  const auto number = [](const Run& run, const std::string& key) {
    const auto found = run.settings.find(key);
    const auto* value = found == run.settings.end() ? nullptr : std::get_if<double>(&found->second);
    return value ? *value : NAN;
  };
  const bool has_before = study.before.count(p.name) > 0;
  tell(runs, notes, has_before ? "added_parameter" : "missing_parameter",
       has_before
           ? fmt::format("{} was added after these runs; they count with the value under before", p.name)
           : fmt::format("{} was added after these runs: say what it was in them with before = …, until "
                         "then nothing can be fitted",
                         p.name),
       [&](const Run& r) { return r.settings.count(p.name) == 0; });
  if (p.is_choice()) {
    tell(runs, notes, "unknown_choice", fmt::format("{} has a choice that the study no longer has", p.name),
         [&](const Run& r) {
           const auto found = r.settings.find(p.name);
           if (found == r.settings.end()) return false;
           const auto* text = std::get_if<std::string>(&found->second);
           return !text || std::find(p.choices.begin(), p.choices.end(), *text) == p.choices.end();
         });
    return;
  }
  if (p.kind == Parameter::Kind::levels)
    tell(runs, notes, "unknown_level", fmt::format("{} is at a value that is not a level now", p.name),
         [&](const Run& r) {
           const double v = number(r, p.name);
           return std::isfinite(v) && std::find(p.values.begin(), p.values.end(), v) == p.values.end();
         });
  else
    tell(runs, notes, "outside_span",
         fmt::format("{} lies outside its span {} … {}: kept, flagged, still fitted", p.name, p.low, p.high),
         [&](const Run& r) { return number(r, p.name) < p.low || number(r, p.name) > p.high; });
}

void check_parameters(const Study& study, const std::vector<Run>& runs, Notes& notes) {
  for (const Parameter& p : study.space.parameters()) check_parameter(study, p, runs, notes);
  std::set<std::string> gone;
  for (const Run& run : runs)
    for (const auto& [key, value] : run.settings)
      if (std::find(study.order.begin(), study.order.end(), key) == study.order.end()) gone.insert(key);
  for (const std::string& key : gone)
    add_note(notes, "removed_parameter",
             fmt::format("{} is no longer in the study; runs keep their column", key));
  for (const FixedParameter& f : study.fixed)
    tell(runs, notes, "other_fixed_value",
         fmt::format("{} is fixed now at another value than in these runs, which are not fitted", f.name),
         [&](const Run& r) {
           const auto found = r.settings.find(f.name);
           return found != r.settings.end() && found->second != f.value;
         });
  tell(runs, notes, "breaks_limit", "these runs break a limit of the study: kept, still fitted",
       [&](const Run& r) {
         try {
           return !study.space.allows(point_of(study, r));
         } catch (const Error&) {
           return false;  // told above
         }
       });
}

void check_responses(const Study& study, const std::vector<Run>& runs, Notes& notes) {
  std::set<std::string> gone;
  for (const Run& run : runs)
    for (const auto& [key, value] : run.responses)
      if (study.response(key) < 0) gone.insert(key);
  for (const std::string& key : gone)
    add_note(notes, "removed_response",
             fmt::format("{} is no longer in the study; runs keep their column", key));
  for (const Response& r : study.responses) {
    if (r.derive) continue;
    tell(runs, notes, "missing_response", fmt::format("{} is missing in done runs", r.name),
         [&](const Run& run) { return run.status == RunStatus::done && run.responses.count(r.name) == 0; });
    const Axis* axis = study.axis_of(r);
    if (axis)
      tell(runs, notes, "missing_axis_point",
           fmt::format("{} lacks points of the axis {}", r.name, axis->name), [&](const Run& run) {
             const auto found = run.responses.find(r.name);
             if (found == run.responses.end()) return false;
             const std::vector<double> y = on_axis(study, r, found->second);
             return std::any_of(y.begin(), y.end(), [](double v) { return std::isnan(v); });
           });
  }
}

}  // namespace

SampleCheck check_sample(const Study& study, const std::string& file) {
  namespace fs = std::filesystem;
  if (study.solver.sources.empty())
    throw Error("the study reads no output of a solver", "study.toml [solver]",
                "say where responses stand: output = …");
  if (!fs::exists(file))
    throw Error("there is no such file or folder", file, "save an output of the solver there");
  SampleCheck out;
  out.file = file;
  OutputFiles files;
  Study as_sampled = study;
  if (fs::is_directory(file)) {
    files = {file, fs::path(file) / study.solver.output_file, fs::path(file) / "stdout"};
  } else {
    files = {fs::absolute(file).parent_path(), file, ""};
    for (auto& [response, source] : as_sampled.solver.sources) {
      if (source.file.empty() || fs::exists(files.folder / source.file)) continue;
      add_note(out.notes, "other_file",
               fmt::format("{} is read from {} in a run; here it was looked for in the sample. A whole "
                           "folder can be tried too: renth check --output FOLDER",
                           response, source.file));
      source.file.clear();
    }
  }
  const Collected got = collect_outputs(as_sampled, files, &out.problems);
  out.values = got.values;
  for (const std::string& remark : got.remarks) add_note(out.notes, "missing_axis_point", remark);
  if (study.solver.per >= 0)
    add_note(out.notes, "per",
             fmt::format("one call an axis point: the sample is taken for one of them ({})",
                         study.axes[study.solver.per].name));
  return out;
}

namespace {

/// Which runs were computed by something else than what the study has today.
void check_makers(Session& session, Notes& notes) {
  const Makers makers(session);
  const RunTable& runs = session.runs();
  std::vector<std::int64_t> used;
  for (std::size_t i = 0; i < runs.ids.size(); ++i)
    if (!runs.set_aside[i]) used.push_back(runs.ids[i]);
  for (const Response& response : session.study.responses)
    if (!response.derive)
      for (const MadeAlike& group : makers.of(response, used))
        if (!group.today)
          add_note(
              notes, "other_maker",
              fmt::format("{} was computed by another {} than today's in {}: fit refuses to mix them with "
                          "others; renth run --renew computes them again",
                          response.name, group.differs, listed_runs(group.runs)));
}

/// \throws Error  a limit that no setting holds, or limits that none holds together.
void check_limits(const Study& study) {
  const NearestAllowed all = nearest_allowed(study.space, study.seed);
  if (all.margin >= 0) return;
  const auto nearest = [&](const NearestAllowed& found) {
    return std::isfinite(found.margin) ? fmt::format("the nearest found, {}, misses by {:.3g}",
                                                     describe(study.space, found.point), -found.margin)
                                       : std::string("it is defined at none of those that were tried");
  };
  for (const Limit& limit : study.space.limits())
    if (const NearestAllowed one = nearest_allowed(Space(study.space.parameters(), {limit}), study.seed);
        one.margin < 0)
      throw Error(
          fmt::format("no setting within the spans holds the limit \"{}\": {}", limit.text, nearest(one)),
          "study.toml [[limit]]", "correct the limit, or widen the spans that it is about");
  std::string texts;
  for (const Limit& limit : study.space.limits())
    texts += fmt::format("{}\"{}\"", texts.empty() ? "" : ", ", limit.text);
  throw Error(
      fmt::format("no setting within the spans holds all the limits {} together: {}", texts, nearest(all)),
      "study.toml [[limit]]", "loosen one of them, or widen the spans that they are about");
}

}  // namespace

CheckResult check_study(Session& session) {
  CheckResult out;
  const Study& study = session.study;
  out.feasible_share = feasible_share(study.space, study.seed);
  out.suggested = suggested_runs(study.space);
  if (out.feasible_share == 0) {
    check_limits(study);
    add_note(out.notes, "little_allowed",
             "of 20 000 random settings the limits allow none: next to nothing is left of the box");
  } else if (out.feasible_share < 0.05)
    add_note(out.notes, "little_allowed",
             fmt::format("the limits leave only {:.2g} % of the box: narrower spans would serve better",
                         100 * out.feasible_share));
  if (!study.space.limits().empty() && !study.space.allows(study.space.nominal()))
    add_note(out.notes, "nominal_forbidden",
             "the nominal setting breaks a limit: give nominal values that hold");
  if (study.solver.kind == SolverSpec::Kind::process || study.solver.kind == SolverSpec::Kind::slurm)
    InputRenderer{study};  // throws what is wrong with a template
  const std::vector<Run> runs = session.store.runs();
  for (const Run& run : runs) {
    (run.status == RunStatus::planned   ? out.planned
     : run.status == RunStatus::running ? out.running
     : run.status == RunStatus::done    ? out.done
                                        : out.failed)++;
    out.set_aside += run.set_aside.has_value() || !run.response_set_aside.empty();
  }
  check_parameters(study, runs, out.notes);
  check_responses(study, runs, out.notes);
  check_makers(session, out.notes);
  for (const Response& r : study.responses)
    if (!r.derive) {
      try {
        current_surrogate(session, r, out.notes);
      } catch (const Error& e) {
        add_note(out.notes, "not_fittable", e.what());
      }
    }
  return out;
}

}  // namespace renth
