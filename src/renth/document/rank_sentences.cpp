#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/parts.hpp>
#include <renth/document/rank.hpp>
#include <set>

namespace renth {
namespace {

constexpr double hardly = 0.02;  // a share below it is hardly any effect

std::string per_cent_text(double share, int decimals = 0) {
  return fixed(100 * share, decimals);
}

/// Names of the parameters for which something holds, in the order of the ranking.
template <class Holds>
std::vector<std::string> names_of(const Study& study, const Ranking& ranking, const Holds& holds) {
  std::vector<std::string> out;
  for (const RankedParameter& p : ranking.parameters)
    if (holds(p)) out.push_back(study.space[p.parameter].name);
  return out;
}

std::string line_of(const char* what, const std::vector<std::string>& names) {
  return names.empty() ? "" : fmt::format("  {}: {}.\n", what, listed(names));
}

std::string number_word(std::size_t n) {
  static const char* const words[] = {"No",  "One",   "Two",   "Three", "Four", "Five",
                                      "Six", "Seven", "Eight", "Nine",  "Ten"};
  return n <= 10 ? words[n] : std::to_string(n);
}

std::string of_shares(const Study& study, const RankResult& r, const RankResult::OfResponse& one,
                      const std::string& title) {
  const Ranking& k = one.ranking;
  const bool shapley = k.method == "shapley";
  const RankedParameter& top = k.parameters.front();
  const bool unfit = one.verdict == Verdict::unfit;
  std::string out;
  if (unfit)
    out = fmt::format(
        "{}: nothing stands out: its surrogate is unfit, and the shares below may be those of noise.\n",
        title);
  else
    out = fmt::format("{}: {} matters most ({} %, {} interval {} … {} %).\n", title,
                      study.space[top.parameter].title(), per_cent_text(top.share), level_text(r.level),
                      per_cent_text(top.low), per_cent_text(top.high));
  double sum = 0;
  std::vector<std::string> most;
  for (const RankedParameter& p : k.parameters) {
    if (sum >= 0.9 || p.share < 0.01) break;
    sum += p.share;
    most.push_back(study.space[p.parameter].name);
  }
  if (!unfit && most.size() > 1 && sum >= 0.8 && most.size() < k.parameters.size())
    out += fmt::format("  {} parameters make {} % of it{}: {}.\n", number_word(most.size()),
                       per_cent_text(sum), shapley ? "" : " alone", listed(most));
  if (!unfit)
    out += line_of("Hardly any effect", names_of(study, k, [&](const RankedParameter& p) {
                     return (shapley ? p.high : std::max(p.total_high, p.high)) < hardly;
                   }));
  if (one.uncaptured > 0.005)
    out += fmt::format("  The surrogate misses {} % of the variance.\n", per_cent_text(one.uncaptured));
  return out;
}

std::string of_effects(const Study& study, const RankResult& r, const RankResult::OfResponse& one,
                       const std::string& title) {
  const Ranking& k = one.ranking;
  const auto significant = [&](double p) { return p < 1 - r.level; };
  const auto p_of = [&](const RankedParameter& p) { return measure_of(p, "p").value; };
  const std::vector<std::string> active =
      names_of(study, k, [&](const auto& p) { return significant(p_of(p)); });
  std::string out;
  const RankedParameter& top = k.parameters.front();
  if (active.empty())
    out = fmt::format("{}: no main effect is significant in {} runs.\n", title, one.runs);
  else
    out =
        fmt::format("{}: {} has the largest effect ({} % of the variance of {} runs; |t| above {} in {}).\n",
                    title, study.space[top.parameter].title(), per_cent_text(top.share), one.runs,
                    fixed(k.line, 2), listed(active));
  // Of many terms some pass the line by chance: what is told of them is worth telling.
  constexpr double worth = 0.005;
  std::string pairs;
  std::set<Eigen::Index> in_pairs;
  for (const RankedPair& p : k.interactions) {
    if (!significant(p.measures.back().value) || p.share < worth) continue;
    in_pairs.insert({p.a, p.b});
    pairs += fmt::format("{}{}{} ({} %)", pairs.empty() ? "" : ", ", study.space[p.a].name,
                         p.a == p.b ? "²" : " × " + study.space[p.b].name, per_cent_text(p.share, 1));
  }
  out += line_of("Not significant", names_of(study, k, [&](const auto& p) {
                   return std::isfinite(p_of(p)) && !significant(p_of(p)) && !in_pairs.contains(p.parameter);
                 }));
  if (!pairs.empty()) out += "  Beyond main effects: " + pairs + ".\n";
  return out;
}

std::string of_correlations(const Study& study, const RankResult& r, const RankResult::OfResponse& one,
                            const std::string& title) {
  const auto strength = [](const RankedParameter& p) { return std::abs(measure_of(p, "spearman").value); };
  const auto clear = [&](const RankedParameter& p) {
    const Measure& m = measure_of(p, "spearman");
    return m.low > 0 || m.high < 0;
  };
  const RankedParameter* top = nullptr;
  for (const RankedParameter& p : one.ranking.parameters)
    if (!(strength(p) <= (top ? strength(*top) : -1)) && !std::isnan(strength(p))) top = &p;
  std::string out =
      !top ? fmt::format("{}: no parameter varies in {} runs.\n", title, one.runs)
           : fmt::format("{}: {} goes with it most in {} runs (rank correlation {}, {} interval {} … {}).\n",
                         title, study.space[top->parameter].title(), one.runs,
                         fixed(measure_of(*top, "spearman").value, 2), level_text(r.level),
                         fixed(measure_of(*top, "spearman").low, 2),
                         fixed(measure_of(*top, "spearman").high, 2));
  out +=
      line_of("No correlation shows", names_of(study, one.ranking, [&](const auto& p) { return !clear(p); }));
  return out;
}

std::string of_dependence(const Study& study, const RankResult& r, const RankResult::OfResponse& one,
                          const std::string& title) {
  const auto sees = [&](const RankedParameter& p) { return measure_of(p, "p").value < 1 - r.level; };
  const std::vector<std::string> seen = names_of(study, one.ranking, sees);
  return fmt::format("{}: {} in {} runs.\n", title,
                     seen.empty() ? "no dependence shows" : "it depends on " + listed(seen), one.runs) +
         line_of("No dependence shows",
                 seen.empty() ? seen : names_of(study, one.ranking, [&](const auto& p) { return !sees(p); }));
}

std::string of_trajectories(const Study& study, const RankResult::OfResponse& one, const std::string& title) {
  const RankedParameter& top = one.ranking.parameters.front();
  std::string out =
      fmt::format("{}: {} moves it most ({} a span on average).\n", title, study.space[top.parameter].title(),
                  pretty(measure_of(top, "absolute").value, 3));
  for (const auto& [word, what] :
       {std::pair("inert", "Inert"), std::pair("linear", "Linear"), std::pair("monotonic", "Monotonic"),
        std::pair("curved or interacting", "Curved or interacting"),
        std::pair("unlike, or interacting", "Choices that interact")})
    out += line_of(what, names_of(study, one.ranking,
                                  [&](const auto& p) { return measure_of(p, "says").word == word; }));
  return out;
}

}  // namespace

std::string left_alone_sentence(const Study& study, const RankResult& r) {
  std::vector<std::string> names;
  for (Eigen::Index j = 0; j < study.space.size(); ++j) {
    bool idle = r.responses.size() > 1;
    for (const auto& one : r.responses) {
      const bool shapley = one.ranking.method == "shapley";
      if ((!shapley && one.ranking.method != "sobol") || one.verdict == Verdict::unfit) return "";
      for (const RankedParameter& p : one.ranking.parameters)
        idle = idle && (p.parameter != j || (shapley ? p.high : std::max(p.total_high, p.high)) < hardly);
    }
    if (idle) names.push_back(study.space[j].name);
  }
  return names.empty() ? "" : fmt::format("Can be left alone for every response: {}.\n", listed(names));
}

std::string sentences_of(const Study& study, const RankResult& r, const RankResult::OfResponse& one) {
  const std::string title = response_of(study, one.response).title();
  const Ranking& k = one.ranking;
  const RankedParameter& top = k.parameters.front();
  if (k.method == "effects") return of_effects(study, r, one, title);
  if (k.method == "correlations") return of_correlations(study, r, one, title);
  if (k.method == "dependence") return of_dependence(study, r, one, title);
  if (k.method == "trajectories") return of_trajectories(study, one, title);
  if (k.method == "first-order")
    return fmt::format("{}: {} alone explains most ({} %, {} interval {} … {} %) of {} runs.\n", title,
                       study.space[top.parameter].title(), per_cent_text(top.share), level_text(r.level),
                       per_cent_text(top.low), per_cent_text(top.high), one.runs) +
           line_of("Nothing shows", names_of(study, k, [](const auto& p) { return !(p.low > 0); }));
  if (k.method == "derivatives")
    return fmt::format("{}: {} has the steepest slopes (at most {} % of the variance).\n", title,
                       study.space[top.parameter].title(), per_cent_text(top.share)) +
           line_of("At most 2 % each", names_of(study, k, [](const auto& p) { return p.high < 0.02; }));
  if (k.method == "local") {
    const Response& response = response_of(study, one.response);
    return fmt::format(
        "{} at {}: {} alone swings it most ({}).\n", title, describe(study.space, r.at),
        study.space[top.parameter].title(),
        pretty(measure_of(top, "swing").value) + (response.unit.empty() ? "" : " " + response.unit));
  }
  return of_shares(study, r, one, title);
}

}  // namespace renth
