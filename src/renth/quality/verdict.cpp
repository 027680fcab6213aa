#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/quality/quality.hpp>

namespace renth {

std::string_view name(Verdict verdict) {
  switch (verdict) {
    case Verdict::good:
      return "good";
    case Verdict::usable:
      return "usable";
    case Verdict::weak:
      return "weak";
    default:
      return "unfit";
  }
}

Judgement judge(const Quality& q, bool noisy, std::string_view kind) {
  Judgement out;
  const bool polynomial = kind == "polynomial";
  const auto say = [&](std::string reason) { out.reasons.push_back(std::move(reason)); };
  const auto advise = [&](std::string step) {
    if (std::find(out.next.begin(), out.next.end(), step) == out.next.end())
      out.next.push_back(std::move(step));
  };
  if (!(q.residual_degrees_of_freedom > 0)) {
    say(
        fmt::format("no residual degrees of freedom: {} runs carry as many terms, so R² = 1 says nothing and "
                    "there is no error estimate",
                    q.runs));
    advise("drop terms or add at least four runs");
    return out;
  }
  if (!std::isfinite(q.q2)) {
    say("the response does not vary, or cannot be cross-validated");
    advise("look at the runs");
    return out;
  }
  double worse = q.q2;
  std::string which = fmt::format("runs that it has not seen are predicted with Q² = {:.3f}", q.q2);
  if (q.check && std::isfinite(q.check->r2) && q.check->r2 < worse) {
    worse = q.check->r2;
    which = fmt::format(
        "{} check runs are predicted with R² = {:.3f}, worse than cross-validation says (Q² = {:.3f})",
        q.check->runs, worse, q.q2);
  }
  if (q.reachable < 1 && q.reachable > 0)
    which += fmt::format("; replicates say that {:.3f} can be reached", q.reachable);
  const double share = q.reachable > 0 ? worse / q.reachable : 0;
  int step = share >= 0.95 ? 0 : share >= 0.8 ? 1 : share >= 0.5 ? 2 : 3;
  say(which);
  if (step >= 2) {
    advise(polynomial ? "fit kriging, which can bend where a polynomial can't, or add runs"
                      : "add runs: plan more, run them and fit again");
    advise("look at draw predicted-observed for runs that stand out");
  } else if (step == 1) {
    advise("good enough to rank and to search; confirm what you find on the solver");
  } else {
    advise("use it; confirm settings found on the solver");
  }
  if (noisy && q.lack_of_fit_p < 0.01) {
    ++step;
    say(fmt::format("lack of fit p = {:.2g}: the surface bends in a way that these terms can't follow",
                    q.lack_of_fit_p));
    advise("add squares (and the runs for them) or fit kriging");
  }
  if (q.r2_adjusted - q.q2 > 0.2) {
    ++step;
    say(fmt::format("adjusted R² = {:.3f} promises more than Q² = {:.3f} keeps: too many terms for the runs",
                    q.r2_adjusted, q.q2));
    advise("drop terms that do not matter, or add runs");
  }
  if (q.residual_degrees_of_freedom < 4) {
    ++step;
    say(fmt::format("only {:.0f} residual degrees of freedom: the error estimate itself is a guess",
                    q.residual_degrees_of_freedom));
    advise(fmt::format("add {:.0f} runs or drop terms", 4 - q.residual_degrees_of_freedom));
  }
  if (q.check && q.check->inside < 0.8) {
    ++step;
    say(
        fmt::format("only {:.0f} % of the check runs lie inside their 95 % intervals: the stated uncertainty "
                    "is too small",
                    100 * q.check->inside));
    advise("take the intervals as too narrow, and add runs");
  }
  out.verdict = static_cast<Verdict>(std::min(step, 3));
  return out;
}

}  // namespace renth
