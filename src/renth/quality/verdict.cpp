#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <renth/quality/quality.hpp>

namespace renth {

namespace {

/// The judgement as it grows.
struct Words {
  Judgement& out;
  const Contenders& others;
  void say(std::string reason) const { out.reasons.push_back(std::move(reason)); }
  void advise(std::string step) const {
    if (std::find(out.next.begin(), out.next.end(), step) == out.next.end())
      out.next.push_back(std::move(step));
  }
  /// A kind that bends more, unless it was tried and was no better.
  std::optional<std::string> metamodel() const {
    for (const char* kind : {"kriging", "chaos"})
      if (std::find(others.worse.begin(), others.worse.end(), kind) == others.worse.end()) return kind;
    return std::nullopt;
  }
  /// "…, or fit a metamodel (fit kriging)" if that can help.
  std::string or_metamodel(std::string step) const {
    const auto kind = metamodel();
    return kind ? step + ", or fit a metamodel (fit " + *kind + ")" : step;
  }
};

/// No error estimate: what is likely active all the same, and how to get one.
void saturated(const Quality& q, const Words& w) {
  w.say(fmt::format(
      "no residual degrees of freedom: {} runs carry as many terms, so R² = 1 means nothing here and "
      "there is no error estimate",
      q.runs));
  if (!q.regression || !(q.regression->lenth.margin > 0)) {
    w.advise("drop terms or add at least four runs");
    return;
  }
  std::vector<const Effect*> sorted;
  for (const Effect& e : q.regression->effects) sorted.push_back(&e);
  std::stable_sort(sorted.begin(), sorted.end(),
                   [](const Effect* a, const Effect* b) { return std::abs(a->value) > std::abs(b->value); });
  std::string active, idle;
  int idle_count = 0;
  for (const Effect* e : sorted)
    if (e->active) active += (active.empty() ? "" : ", ") + e->term;
  for (auto e = sorted.rbegin(); e != sorted.rend() && idle_count < 4; ++e)
    if (!(*e)->active) idle += (idle.empty() ? "" : ", ") + (*e)->term, ++idle_count;
  w.say(fmt::format("against the size of most effects (Lenth's pseudo standard error) {}",
                    active.empty() ? "none stands out" : "these stand out: " + active));
  if (idle_count > 0)
    w.advise(fmt::format("drop the smallest terms ({}), or add at least four runs; draw effects shows which",
                         idle));
  else
    w.advise("add at least four runs");
}

/// What the analysis of variance and the residuals say besides.
void regression_reasons(const Quality& q, const RegressionReport& r, const Words& w) {
  if (r.anova.curvature_p < 0.05) {
    w.say(
        fmt::format("corners and centre runs differ by more than chance (curvature p = {:.2g}): the surface "
                    "bends, and the model has no squares",
                    r.anova.curvature_p));
    w.advise(
        r.anova.axial_runs
            ? "add squares: fit polynomial `model=quadratic`"
            : w.or_metamodel("add axial runs for squares (plan central-composite `stage=axial` `of=BATCH`)"));
  }
  if (r.max_vif > 10) {
    w.say(fmt::format(
        "the variance of {} is inflated {:.0f} times because the runs vary it together with other "
        "terms",
        r.max_vif_term, r.max_vif));
    w.advise("leave one of the terms that go together out, or add runs: plan optimal `include=BATCH`");
  }
  const double drop = q.r2_adjusted - q.r2_predicted;
  if (drop > 0.2)
    w.say(fmt::format("predicted R² = {:.3f} is far below adjusted R² = {:.3f}: single runs decide the fit",
                      q.r2_predicted, q.r2_adjusted));
  const Diagnostics& d = r.diagnostics;
  if (!d.standouts.empty()) {
    w.say(fmt::format("{} run{} out", d.standouts.size(), d.standouts.size() == 1 ? " stands" : "s stand"));
    w.advise("look at the runs that stand out (draw residuals); set-aside and fit again shows what they do");
  }
  if (d.normality.p < 0.01)
    w.say(fmt::format("the residuals are not normal ({} p = {:.2g}): p-values and intervals are approximate",
                      d.normality_test, d.normality.p));
  if (d.variance.p < 0.01)
    w.say(fmt::format("the scatter changes with the size of the response (Breusch–Pagan p = {:.2g})",
                      d.variance.p));
  if (d.order.p < 0.01)
    w.say(
        fmt::format("residuals of neighbouring runs {} (Durbin–Watson {:.2f}, p = {:.2g}): something drifted "
                    "while the runs were made",
                    d.order.statistic < 2 ? "are alike" : "alternate", d.order.statistic, d.order.p));
  if (r.box_cox && r.box_cox->suggestion != 1 && (d.normality.p < 0.05 || d.variance.p < 0.05))
    w.advise(
        fmt::format("fit a power of the response: fit polynomial `transform={:g}` (Box–Cox {:.2f}, interval "
                    "{:.2f} … {:.2f})",
                    r.box_cox->suggestion, r.box_cox->lambda, r.box_cox->low, r.box_cox->high));
}

/// Steps that a verdict goes down, each said.
int steps_down(const Quality& q, bool noisy, const Words& words) {
  int step = 0;
  if (noisy && q.lack_of_fit_p < 0.01) {
    ++step;
    const bool bends = q.regression && q.regression->squares;
    const bool axial = q.regression && q.regression->anova.axial_runs;
    words.say(fmt::format("lack of fit p = {:.2g}: the surface bends in a way that {} can't follow",
                          q.lack_of_fit_p, bends ? "these squares and products" : "a model without squares"));
    words.advise(words.or_metamodel(
        bends   ? "narrow the spans, or take cubic terms and the runs for them"
        : axial ? "add squares (fit polynomial `model=quadratic`)"
                : "add axial runs for squares (plan central-composite `stage=axial` `of=BATCH`)"));
  }
  if (q.r2_adjusted - q.q2 > 0.2) {
    ++step;
    words.say(
        fmt::format("adjusted R² = {:.3f} promises more than Q² = {:.3f} keeps: too many terms for the runs",
                    q.r2_adjusted, q.q2));
    words.advise("drop terms that do not matter, or add runs");
  }
  if (q.residual_degrees_of_freedom < 4) {
    ++step;
    words.say(fmt::format("only {:.0f} residual degrees of freedom: the error estimate itself is a guess",
                          q.residual_degrees_of_freedom));
    words.advise(fmt::format("add {:.0f} runs or drop terms", 4 - q.residual_degrees_of_freedom));
  }
  if (q.check && q.check->inside_95 < 0.8) {
    ++step;
    words.say(
        fmt::format("only {:.0f} % of the check runs lie inside their 95 % intervals: the stated uncertainty "
                    "is too small",
                    100 * q.check->inside_95));
    words.advise("take the intervals as too narrow, and add runs");
  }
  return step;
}

void advise_by(int step, bool polynomial, const Words& words) {
  if (step >= 2) {
    const auto kind = words.metamodel();
    words.advise(polynomial && kind
                     ? fmt::format("fit {}, which can bend where a polynomial can't, or add runs", *kind)
                     : "add runs: plan more, run them and fit again");
    words.advise("look at draw predicted-observed for runs that stand out");
  } else if (step == 1) {
    words.advise("good enough to rank and to search; confirm what you find on the solver");
  } else {
    words.advise("use it; confirm settings found on the solver");
  }
}

}  // namespace

Judgement judge(const Quality& q, bool noisy, std::string_view kind, const Contenders& others) {
  Judgement out;
  const bool polynomial = kind == "polynomial";
  const Words words{out, others};
  const auto say = [&](std::string reason) { words.say(std::move(reason)); };
  const auto advise = [&](std::string step) { words.advise(std::move(step)); };
  if (!(q.residual_degrees_of_freedom > 0)) {
    saturated(q, words);
    return out;
  }
  if (!std::isfinite(q.q2)) {
    if (2 * q.not_left_out > q.runs) {
      say(fmt::format("it cannot be fitted without {} of its {} runs, so nothing says how it predicts others",
                      q.not_left_out, q.runs));
      advise("add runs, or drop terms");
    } else {
      say("the response does not vary");
      advise("look at the runs");
    }
    return out;
  }
  double worse = q.q2;
  std::string which = fmt::format("runs that it has not seen are predicted with Q² = {:.3f}", q.q2);
  if (q.check && std::isfinite(q.check->r2) && q.check->r2 < worse) {
    worse = q.check->r2;
    which =
        fmt::format("{} check runs are predicted with R² = {:.3f}, {} cross-validation says (Q² = {:.3f})",
                    q.check->runs, worse, q.q2 - worse < 0.005 ? "as" : "worse than", q.q2);
  }
  if (q.reachable < 1 && q.reachable > 0)
    which += fmt::format("; replicates say that {:.3f} can be reached", q.reachable);
  const double share = q.reachable > 0 ? worse / q.reachable : 0;
  int step = share >= 0.95 ? 0 : share >= 0.8 ? 1 : share >= 0.5 ? 2 : 3;
  say(which);
  if (share < 0.1)
    say(worse > 0 ? "that is hardly better than the mean of the runs: what these parameters do, if anything, "
                    "is lost in scatter"
                  : "that is no better than the mean of the runs: as far as they tell, nothing but noise");
  if (q.not_left_out > 0)
    say(fmt::format("without {} of the runs it cannot be fitted; Q² is of the other {}", q.not_left_out,
                    q.runs - q.not_left_out));
  if (q.replicates_split > 0)
    say(fmt::format(
        "replicates at {} setting{} without which the polynomial can hardly be estimated were left "
        "out one at a time",
        q.replicates_split, q.replicates_split == 1 ? "" : "s"));
  advise_by(step, polynomial, words);
  step += steps_down(q, noisy, words);
  if (noisy && others.count > 1 && q.runs < 100 && q.q2 < 0.9 && !q.check) {
    // Measured: see docs/metamodels.md.
    say(fmt::format(
        "it is the best of {} candidates by {} runs that scatter, and so partly by luck: 1 − Q² is "
        "likely larger, up to 1.3 times",
        others.count, q.runs));
    advise("hold it against runs that are not fitted: plan `use=check`");
  }
  if (q.regression) regression_reasons(q, *q.regression, words);
  out.verdict = static_cast<Verdict>(std::min(step, 3));
  return out;
}

}  // namespace renth
