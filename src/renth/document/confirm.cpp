#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/confirm.hpp>
#include <renth/document/parts.hpp>

namespace renth {

namespace {

Figures figures(const ConfirmResult::OfResponse& one, double level) {
  // Of a run that is foretold the standard error is about a quarter of its 95 % interval.
  const double error = (one.high - one.low) / 4;
  Figure computed = number("computed", "computed", one.computed.value_or(NAN)).known_to(error);
  Figure within = one.inside ? yes_no("within_interval", "inside", *one.inside)
                             : Figure{"within_interval", "inside", Json(nullptr)};
  return {number("predicted", "predicted", one.predicted).known_to(error),
          bounds("prediction", "of a run", one.low, one.high, level).known_to(error),
          one.computed ? std::move(computed) : std::move(computed).as("not yet"),
          number("error_percent", "error", one.error_percent.value_or(NAN), 2, "%"), std::move(within)};
}

/// "absorbed: 6 of 7 points inside, the worst at period 8 s: …".
std::string curve_line(const Study& study, const ConfirmResult::OfCurve& curve) {
  const Response& response = response_of(study, curve.response);
  const Axis& axis = *study.axis_of(response);
  int computed = 0, inside = 0;
  std::size_t worst = 0;
  double most = -1;
  for (std::size_t q = 0; q < curve.at.size(); ++q) {
    const auto& one = curve.at[q];
    if (!one.computed) continue;
    ++computed;
    inside += one.inside.value_or(false) ? 1 : 0;
    if (const double error = std::abs(one.predicted - *one.computed); error > most) most = error, worst = q;
  }
  if (computed == 0) return fmt::format("{}: not computed yet\n", curve.response);
  return fmt::format(
      "{}: {} of {} points along {} inside, the worst at {}: {:.4g} predicted, {:.4g} computed\n",
      with_unit(curve.response, response.unit), inside, computed, axis.name,
      with_unit(pretty(axis.points[worst]), axis.unit), curve.at[worst].predicted, *curve.at[worst].computed);
}

}  // namespace

Json to_document(const Study& study, const ConfirmResult& r) {
  Rows proposals;
  for (const auto& p : r.proposals) {
    Figures responses;
    for (const auto& one : p.responses) responses.push_back(group(one.response, figures(one, r.level)));
    for (const auto& curve : p.curves) {
      Rows along;
      for (const auto& one : curve.at) along.push_back(figures(one, r.level));
      responses.push_back(group(curve.response, along_axis(along)));
    }
    proposals.push_back({whole("rank", "", p.rank),
                         p.scenario.empty() ? nothing("scenario") : text("scenario", "", p.scenario),
                         p.mark.empty() ? nothing("mark") : text("mark", "", p.mark), whole("run", "", p.run),
                         text("status", "", p.status), setting("point", study, p.point),
                         group("responses", std::move(responses))});
  }
  return {{"proposals", json_of(proposals)}, {"level", r.level}, {"notes", notes_document(r.notes)}};
}

std::string to_table(const Study& study, const ConfirmResult& r) {
  std::string out;
  for (const auto& p : r.proposals) {
    const std::string what = !p.mark.empty()      ? p.mark
                             : p.scenario.empty() ? fmt::format("proposal {}", p.rank)
                                                  : fmt::format("proposal {}:{}", p.scenario, p.rank);
    out += fmt::format("{}, run {} ({}) at {}\n", what, p.run, p.status, describe(study.space, p.point));
    if (!p.message.empty()) out += "  " + p.message + "\n";
    Rows lines;
    for (const auto& one : p.responses)
      lines.push_back({text("", "response", with_unit(one.response, response_of(study, one.response).unit)),
                       group("", figures(one, r.level))});
    out += table_of(lines) + "\n";
    for (const auto& curve : p.curves) out += curve_line(study, curve);
  }
  out += notes_of(r.notes);
  if (r.missed)
    out += "Some results lie outside their intervals: the surrogate is too sure of itself there.\n" +
           next_step("renth fit --take confirm", "then renth trust");
  const bool waits = std::any_of(r.proposals.begin(), r.proposals.end(),
                                 [](const auto& p) { return p.status == name(RunStatus::planned); });
  if (waits && study.solver.kind == SolverSpec::Kind::manual)
    out += next_step("renth runs --where \"status == 'planned'\" --export runs.csv",
                     "measure these, then renth import runs.csv and renth confirm");
  return out;
}

}  // namespace renth
