#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/study/tables.hpp>

namespace renth {
std::string with_unit(const std::string& name, const std::string& unit) {
  return unit.empty() ? name : name + " [" + unit + "]";
}

std::string notes_of(const Notes& notes) {
  std::string out;
  for (const Note& n : notes) out += "note: " + n.text + "\n";
  return out;
}

std::vector<std::string> parameter_headers(const Study& study) {
  std::vector<std::string> out;
  for (const Parameter& p : study.space.parameters()) out.push_back(with_unit(p.name, p.unit));
  return out;
}
void add_point(TextTable& table, const Study& study, const Eigen::VectorXd& point) {
  for (Eigen::Index j = 0; j < study.space.size(); ++j) {
    const Parameter& p = study.space[j];
    p.is_choice() ? table.text(p.choices[static_cast<std::size_t>(point[j])]) : table.number(point[j], 5);
  }
}

namespace {

std::string interval(double low, double high) {
  return std::isfinite(low) ? fmt::format("{} … {}", pretty(low), pretty(high)) : "undefined";
}
const Response& response_of(const Study& study, const std::string& name) {
  return study.responses[study.response(name)];
}

}  // namespace

std::string to_table(const Study& study, const RunsResult& r) {
  std::vector<std::string> header = {"run", "batch", "status"};
  for (const std::string& h : parameter_headers(study)) header.push_back(h);
  std::vector<const Response*> shown;
  for (const Response& x : study.responses)
    if (!x.derive && x.axis < 0) shown.push_back(&x), header.push_back(with_unit(x.name, x.unit));
  header.push_back("remark");
  TextTable table(header);
  int counts[4] = {};
  for (const Run& run : r.runs) {
    ++counts[static_cast<int>(run.status)];
    table.text(std::to_string(run.id)).text(run.batch).text(std::string(name(run.status)));
    for (const Parameter& p : study.space.parameters()) {
      const auto found = run.settings.find(p.name);
      if (found == run.settings.end())
        table.text("–");
      else if (const auto* number = std::get_if<double>(&found->second))
        table.number(*number, 5);
      else
        table.text(std::get<std::string>(found->second));
    }
    for (const Response* x : shown) {
      const auto found = run.responses.find(x->name);
      table.number(found == run.responses.end() || found->second.values.empty() ? NAN
                                                                                : found->second.values[0]);
    }
    std::string remark = run.set_aside ? "set aside: " + *run.set_aside : "";
    for (const auto& [response, why] : run.response_set_aside)
      remark += (remark.empty() ? "" : "; ") + response + " set aside: " + why;
    if (!run.message.empty()) remark += (remark.empty() ? "" : "; ") + run.message;
    table.text(remark.size() > 90 ? remark.substr(0, 87) + "…" : remark).end_row();
  }
  return table.str() +
         fmt::format("\n{} runs: {} done, {} failed, {} planned, {} running.\n", r.runs.size(), counts[2],
                     counts[3], counts[0], counts[1]) +
         notes_of(r.notes);
}

std::string to_table(const Study& study, const RankResult& r) {
  std::string out;
  for (const auto& one : r.responses) {
    const Ranking& k = one.ranking;
    const Response& response = response_of(study, one.response);
    const bool shapley = k.method == "shapley";
    const RankedParameter& top = k.parameters.front();
    out += fmt::format("{}: {} matters most ({:.0f} %, 95 % interval {:.0f} … {:.0f} %).\n", response.title(),
                       study.space[top.parameter].title(), 100 * top.share, 100 * top.low, 100 * top.high);
    std::string idle;
    for (const RankedParameter& p : k.parameters)
      if ((shapley ? p.high : std::max(p.total, p.high)) < 0.01)
        idle += (idle.empty() ? "" : ", ") + study.space[p.parameter].name;
    if (!idle.empty()) out += "  Hardly any effect: " + idle + ".\n";
    TextTable table(shapley ? std::vector<std::string>{"parameter", "share [%]", "low", "high", "direction"}
                            : std::vector<std::string>{"parameter", "share [%]", "low", "high", "total [%]",
                                                       "direction"});
    for (const RankedParameter& p : k.parameters) {
      table.text(study.space[p.parameter].name)
          .number(100 * p.share, 3)
          .number(100 * p.low, 3)
          .number(100 * p.high, 3);
      if (!shapley) table.number(100 * p.total, 3);
      table.text(p.direction).end_row();
    }
    out += "\n" + table.str();
    std::string pairs;
    for (const RankedPair& p : k.interactions)
      if (p.share >= 0.005)
        pairs += fmt::format("{}{} × {} {:.1f} %", pairs.empty() ? "" : ", ", study.space[p.a].name,
                             study.space[p.b].name, 100 * p.share);
    if (!shapley)
      out += fmt::format("  Interactions: {}; of three and more {:.1f} %.\n",
                         pairs.empty() ? "none above half a per cent" : pairs, 100 * k.unexplained);
    out += "\n";
  }
  return out + notes_of(r.notes);
}

std::string to_table(const Study& study, const PredictResult& r) {
  std::string out;
  for (const PredictedPoint& p : r.predictions) {
    out += fmt::format("at {}{}\n", describe(study.space, p.point),
                       p.inside ? "" : "   (OUTSIDE what the runs cover)");
    TextTable table({"response", "at", "mean", "sd", "95 % of the mean", "95 % of a run", "calibrated"});
    for (const PredictedResponse& one : p.responses) {
      const Response& response = response_of(study, one.response);
      const Axis* axis = study.axis_of(response);
      for (std::size_t k = 0; k < one.mean.size(); ++k)
        table.text(with_unit(one.response, response.unit))
            .text(axis ? pretty(axis->points[k]) + " " + axis->unit : "")
            .text(pretty(one.mean[k], 5))
            .text(pretty(one.sd[k], 3))
            .text(interval(one.confidence_low[k], one.confidence_high[k]))
            .text(interval(one.prediction_low[k], one.prediction_high[k]))
            .text(k < one.calibrated_low.size() ? interval(one.calibrated_low[k], one.calibrated_high[k])
                                                : "–")
            .end_row();
    }
    out += table.str() + "\n";
  }
  return out + notes_of(r.notes);
}

std::string to_table(const Study& study, const ExtremesResult& r) {
  std::vector<std::string> header = {"response", "", "value"};
  for (const std::string& h : parameter_headers(study)) header.push_back(h);
  TextTable table(header);
  for (const auto& one : r.responses)
    for (const bool least : {true, false}) {
      const Maximum& m = least ? one.extremes.smallest : one.extremes.largest;
      table.text(with_unit(one.response, response_of(study, one.response).unit))
          .text(least ? "least" : "most")
          .text(pretty(m.value, 5));
      add_point(table, study, m.point);
      table.end_row();
    }
  return table.str() + "\n" + notes_of(r.notes);
}

std::string to_table(const Study& study, const SeekOutcome& r) {
  std::string out = r.result.feasible
                        ? fmt::format("Found {} settings that hold every limit by the surrogates' means.\n",
                                      r.result.proposals.size())
                        : std::string("NOTHING HOLDS EVERY LIMIT. These settings come nearest.\n");
  std::vector<std::string> header = {"proposal", "desirability"};
  for (const std::string& h : parameter_headers(study)) header.push_back(h);
  TextTable points(header);
  for (std::size_t i = 0; i < r.result.proposals.size(); ++i) {
    points.text(std::to_string(i + 1)).number(r.result.proposals[i].desirability, 3);
    add_point(points, study, r.result.proposals[i].point);
    points.end_row();
  }
  out += "\n" + points.str();
  for (std::size_t i = 0; i < r.result.proposals.size(); ++i) {
    const Proposal& p = r.result.proposals[i];
    out += fmt::format("\nproposal {}{}\n", i + 1,
                       r.predicted[i].inside ? "" : "   (OUTSIDE what the runs cover)");
    TextTable table({"response", "mean", "95 % of a run", "desirability", "within limits"});
    for (const PredictedResponse& one : r.predicted[i].responses) {
      const Response& response = response_of(study, one.response);
      if (response.axis >= 0) continue;
      double d = NAN;
      for (std::size_t g = 0; g < r.goal_response.size(); ++g)
        if (study.responses[r.goal_response[g]].name == one.response) d = p.of_goal[g];
      const bool limited = response.accept.min || response.accept.max;
      table.text(with_unit(one.response, response.unit))
          .text(pretty(one.mean[0]))
          .text(interval(one.prediction_low[0], one.prediction_high[0]))
          .number(d, 3)
          .text(!limited                       ? ""
                : r.within[i].at(one.response) ? "yes"
                                               : "NO")
          .end_row();
    }
    out += table.str();
    if (!p.limited_by.empty()) out += fmt::format("  limited by {}\n", fmt::join(p.limited_by, "; "));
  }
  return out + "\n" + notes_of(r.notes) + "next: renth confirm\n";
}

std::string to_table(const Study& study, const ConfirmResult& r) {
  std::string out;
  for (const auto& p : r.proposals) {
    out += fmt::format("proposal {}, run {} ({}) at {}\n", p.rank, p.run, p.status,
                       describe(study.space, p.point));
    if (!p.message.empty()) out += "  " + p.message + "\n";
    TextTable table({"response", "predicted", "computed", "error [%]", "95 % of a run", "inside"});
    for (const auto& one : p.responses)
      table.text(with_unit(one.response, response_of(study, one.response).unit))
          .text(pretty(one.predicted))
          .text(one.computed ? pretty(*one.computed) : "not yet")
          .number(one.error_percent.value_or(NAN), 2)
          .text(interval(one.low, one.high))
          .text(one.inside ? (*one.inside ? "yes" : "NO") : "–")
          .end_row();
    out += table.str() + "\n";
  }
  out += notes_of(r.notes);
  if (r.missed)
    out +=
        "Some results lie outside their intervals: the surrogate is too sure of itself there. next: renth "
        "fit --take confirm, then renth trust\n";
  return out;
}

std::string to_table(const Study& study, const CheckResult& r) {
  std::string out = fmt::format("{}: {} parameters vary, {} fixed, {} responses, {} limits.\n\n", study.name,
                                study.space.size(), study.fixed.size(), study.responses.size(),
                                study.space.limits().size());
  TextTable parameters({"parameter", "unit", "from", "to", "nominal", "what can be set"});
  for (const Parameter& p : study.space.parameters()) {
    parameters.text(p.name).text(p.unit);
    if (p.is_choice())
      parameters.text("")
          .text("")
          .text(p.choices[static_cast<std::size_t>(p.nominal)])
          .text(fmt::format("choice: {}", fmt::join(p.choices, ", ")));
    else
      parameters.text(pretty(p.low, 6))
          .text(pretty(p.high, 6))
          .text(pretty(p.nominal, 6))
          .text(p.kind == Parameter::Kind::levels ? fmt::format("levels {}", fmt::join(p.values, ", "))
                : !p.values.empty()               ? fmt::format("sizes {}", fmt::join(p.values, ", "))
                : p.step > 0                      ? fmt::format("steps of {}", p.step)
                                                  : "anything");
    parameters.end_row();
  }
  for (const FixedParameter& f : study.fixed) {
    const auto* number = std::get_if<double>(&f.value);
    parameters.text(f.name)
        .text(f.unit)
        .text("")
        .text("")
        .text(number ? pretty(*number, 6) : std::get<std::string>(f.value))
        .text("fixed")
        .end_row();
  }
  out += parameters.str() + "\n";
  TextTable responses({"response", "unit", "from", "goal", "accepted"});
  const char* const aims[] = {"maximise", "minimise", "target"};
  for (const Response& x : study.responses) {
    const std::string accepted = fmt::format("{}{}{}", x.accept.min ? ">= " + pretty(*x.accept.min) : "",
                                             x.accept.min && x.accept.max ? ", " : "",
                                             x.accept.max ? "<= " + pretty(*x.accept.max) : "");
    responses.text(x.name)
        .text(x.unit)
        .text(x.derive      ? x.derive->text()
              : x.axis >= 0 ? "solver, along " + study.axes[x.axis].name
                            : "solver")
        .text(!x.goal ? ""
                      : std::string(aims[static_cast<int>(*x.goal)]) +
                            (x.goal == Goal::Aim::target ? " " + pretty(x.target) : ""))
        .text(accepted)
        .end_row();
  }
  out += responses.str() + "\n";
  for (const Limit& l : study.space.limits()) out += "limit: " + l.text + "\n";
  if (!study.space.limits().empty())
    out += fmt::format("The limits leave {:.1f} % of the box.\n", 100 * r.feasible_share);
  for (const Scenario& s : study.scenarios) out += fmt::format("scenario: {}\n", s.name);
  out += fmt::format(
      "Runs: {} done, {} failed, {} planned, {} running, {} set aside. Suggested for a first batch: {}.\n",
      r.done, r.failed, r.planned, r.running, r.set_aside, r.suggested);
  return out + notes_of(r.notes);
}

}  // namespace renth
