#include <cmath>
#include <renth/document/parts.hpp>
#include <renth/document/seek_parts.hpp>

namespace renth {
namespace {

/// The desirability of a response in a proposal; NaN without a goal.
double desirability_of(const SeekOutcome& r, std::size_t proposal, int response) {
  for (std::size_t g = 0; g < r.goals.size(); ++g)
    if (r.goals[g].response == response) return r.result.proposals[proposal].of_goal[g];
  return NAN;
}

/// The chance that a run of the response lies within its limits.
Figure chance_of(const SeekOutcome& r, std::size_t proposal, const std::string& response) {
  const auto found = r.probability[proposal].find(response);
  if (found == r.probability[proposal].end()) return Figure{"probability", "chance", Json(nullptr)}.as("");
  return number("probability", "chance", found->second, 2);
}

Rows gives_of_proposal(const Study& study, const Proposal& p) {
  Rows out;
  for (const Give& g : p.gives)
    out.push_back({text("limit", "", g.limit), number("per_unit", "", g.per_unit),
                   text("response", "", study.responses[std::size_t(g.response)].name)});
  return out;
}

}  // namespace

Figures figures_of_response(const Study& study, const SeekOutcome& r, std::size_t i,
                            const ResponsePrediction& one, Eigen::Index q) {
  const Response& response = study.responses[std::size_t(one.response)];
  const auto row = Eigen::Index(i);
  const double sd = one.sd(row, q);
  return {
      number("mean", "mean", one.mean(row, q)).known_to(sd),
      number("sd", "", sd),
      bounds("prediction", "of a run", one.prediction_low(row, q), one.prediction_high(row, q), r.level)
          .known_to(sd),
      number("desirability", "desirability", desirability_of(r, i, one.response), 3),
      yes_no("within", "within limits", r.within[i].at(response.name), response.accept.any() ? "yes" : ""),
      chance_of(r, i, response.name)};
}

std::vector<std::string> names_of(const Study& study, const std::vector<Eigen::Index>& parameters) {
  std::vector<std::string> out;
  for (const Eigen::Index j : parameters) out.push_back(study.space[j].name);
  return out;
}

Figures figures_of_proposal(const Study& study, const SeekOutcome& r, std::size_t i) {
  const Proposal& p = r.result.proposals[i];
  return {
      whole("rank", "proposal", std::int64_t(i) + 1),
      number("desirability", "desirability", p.desirability, 3),
      setting("point", study, p.point),
      raw("limited_by", json_texts(p.limited_by)),
      list("gives", gives_of_proposal(study, p)),
      raw("free", names_of(study, p.free)),
      number("failure_risk", std::isfinite(r.failure_risk[i]) ? "risk of failing" : "", r.failure_risk[i], 2),
      std::isfinite(r.yield[i]) ? per_cent("yield", "yield in production", r.yield[i]) : nothing("yield"),
      yes_no("inside", "", r.predicted.inside[i] != 0)};
}

Figures predicted_row(const Study& study, const Predictions& predicted, Eigen::Index row) {
  Figures out;
  for (const ResponsePrediction& one : predicted.responses) {
    const Response& response = study.responses[std::size_t(one.response)];
    if (response.is_curve()) continue;
    const double sd = one.sd(row, 0);
    out.push_back(
        group(response.name,
              {number("mean", with_unit(response.name, response.unit), one.mean(row, 0)).known_to(sd),
               number("sd", "", sd)}));
  }
  return out;
}

Rows front_rows(const Study& study, const SeekOutcome& r) {
  Rows out;
  for (std::size_t i = 0; i < r.front.size(); ++i)
    out.push_back({yes_no("knee", "", r.front[i].knee, "knee", ""), setting("point", study, r.front[i].point),
                   group("responses", predicted_row(study, r.front_predicted, Eigen::Index(i)))});
  return out;
}

Rows single_rows(const Study& study, const SeekOutcome& r) {
  Rows out;
  for (std::size_t i = 0; i < r.result.singly.size(); ++i) {
    const int k = r.goals[std::size_t(r.result.singly[i].goal)].response;
    out.push_back({text("response", "best alone", study.responses[std::size_t(k)].name),
                   setting("point", study, r.result.singly[i].point),
                   group("responses", predicted_row(study, r.singly, Eigen::Index(i)))});
  }
  return out;
}

}  // namespace renth
