#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/fit/fit.hpp>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/fit/regression.hpp>
#include <renth/numeric/random.hpp>
#include <renth/selection/best_subset.hpp>
#include <renth/selection/choose_terms.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/transform.hpp>
#include <renth/terms/confounding.hpp>

namespace renth {
namespace {

using Method = TermChoice::Method;
using Rule = TermChoice::Rule;
constexpr std::size_t nobody = std::numeric_limits<std::size_t>::max();

/// AICc (C. M. Hurvich and C.-L. Tsai, Biometrika 76, 1989), BIC (G. Schwarz, Annals of Statistics 6, 1978),
/// both with σ² counted as a parameter, or −predicted R²; the least is the best.
double criterion_of(Rule rule, double n, double columns, double sse, double sst, double press) {
  const double k = columns + 1, log_sse = n * std::log(std::max(sse, 1e-28 * sst) / n);
  if (rule == Rule::bic) return log_sse + k * std::log(n);
  if (rule == Rule::predicted_r2)
    return std::isfinite(press) ? press / sst - 1 : std::numeric_limits<double>::infinity();
  return n > k + 1 ? log_sse + 2 * k + 2 * k * (k + 1) / (n - k - 1)
                   : std::numeric_limits<double>::infinity();
}

/// One selection as it goes on.
class Chooser {
  using Units = SubsetModel::Units;

 public:
  Chooser(const Regression& design, std::vector<TermUnit> units, const TermChoice& choice)
      : choice_(choice), model_(design, std::move(units), choice.rule == Rule::predicted_r2) {}

  SubsetModel& model() { return model_; }
  const std::vector<TermUnit>& units() const { return model_.units(); }

  double criterion() const {
    return now(model_.size(), model_.sse(), [&] { return model_.press(); });
  }
  double criterion_if_turned(const Units& turned) const {
    if (turned.empty()) return criterion();
    const double sign = model_.has(turned[0]) ? 1 : -1, m = double(model_.columns_of(turned));
    return now(double(model_.size()) - sign * m, model_.sse() + sign * model_.change(turned),
               [&] { return model_.press_if_turned(turned); });
  }

  /// What must come in for a unit to come in: those of its ancestors that are out, and itself last.
  Units with_what_it_needs(std::size_t u) const {
    Units out;
    add_missing(u, out);
    return out;
  }
  bool may_leave(std::size_t u) const { return model_.has(u) && !units()[u].forced && !model_.needed_by(u); }

  void forced_in() {
    for (std::size_t u = 0; u < units().size(); ++u)
      if (units()[u].forced) model_.add(u);
  }

  /// One term in, if one should; if none should by itself, one with the parents that it needs, tested
  /// together.
  bool step_in() { return step_in(true) || step_in(false); }

  bool step_out() {
    std::size_t worst = nobody;
    // Of models that are alike the smaller one.
    double figure = choice_.rule == Rule::p_value ? choice_.leave : criterion() + 1e-12;
    for (std::size_t u = 0; u < units().size(); ++u) {
      if (!may_leave(u)) continue;
      const double value = choice_.rule == Rule::p_value ? model_.p_value({u}) : criterion_if_turned({u});
      if (choice_.rule == Rule::p_value ? value > figure : value < figure) worst = u, figure = value;
    }
    if (worst == nobody) return false;
    turn(worst);
    return true;
  }

  void turn(std::size_t u, std::string rule = "") {
    const bool added = !model_.has(u);
    ChoiceStep s{int(steps.size()) + 1, added, units()[u].name, model_.p_value({u}), 0, std::move(rule)};
    added ? model_.add(u) : model_.drop(u);
    s.criterion = reported(criterion());
    if (s.rule.empty()) s.rule = reason(added);
    steps.push_back(std::move(s));
  }

  /// Terms that are in only because another needs them, and terms that never came in.
  void finish(TermSelection& out) const {
    for (std::size_t u = 0; u < units().size(); ++u) {
      if (!model_.has(u) || units()[u].forced) continue;
      const auto child = model_.needed_by(u);
      if (!child) continue;
      const double p = model_.p_value({u});
      const bool idle =
          choice_.rule == Rule::p_value ? p > choice_.leave : criterion_if_turned({u}) < criterion();
      if (idle)
        out.kept.push_back(
            {units()[u].name, fmt::format("{} needs it (strong heredity)", units()[*child].name), p});
    }
    for (std::size_t u = 0; u < units().size(); ++u) {
      const bool told = std::any_of(steps.begin(), steps.end(),
                                    [&](const ChoiceStep& s) { return s.term == units()[u].name; });
      if (!model_.has(u) && !told)
        out.steps.push_back({0, false, units()[u].name, model_.p_value({u}), out_of_reach, "never came in"});
    }
  }

  std::vector<ChoiceStep> steps;

 private:
  static constexpr double out_of_reach = std::numeric_limits<double>::quiet_NaN();

  void add_missing(std::size_t u, Units& out) const {
    for (const std::size_t parent : units()[u].parents)
      if (!model_.has(parent) && std::find(out.begin(), out.end(), parent) == out.end())
        add_missing(parent, out);
    out.push_back(u);
  }

  /// \param alone  terms whose parents are in, or those that bring parents.
  bool step_in(bool alone) {
    Units best;
    double figure = choice_.rule == Rule::p_value ? choice_.enter : better_than();
    for (std::size_t u = 0; u < units().size(); ++u) {
      if (model_.has(u)) continue;
      const Units family = with_what_it_needs(u);
      if ((family.size() == 1) != alone || !std::isfinite(model_.change(family))) continue;
      if (!alone && !earns_its_place(family)) continue;
      const double value =
          choice_.rule == Rule::p_value ? model_.p_value(family) : criterion_if_turned(family);
      if (value < figure || (best.empty() && choice_.rule == Rule::p_value && value == figure))
        best = family, figure = value;
    }
    for (const std::size_t u : best)
      turn(u, u == best.back() ? alone ? "" : reason(true) + ", with what it needs"
                               : fmt::format("{} needs it", units()[best.back()].name));
    return !best.empty();
  }

  /// Whether a term adds to what its parents bring, by the same rule.
  bool earns_its_place(const Units& family) const {
    const Units parents(family.begin(), family.end() - 1);
    return choice_.rule == Rule::p_value ? model_.p_value_beyond(parents, family) <= choice_.enter
                                         : criterion_if_turned(family) < criterion_if_turned(parents);
  }
  template <class Press>
  double now(double columns, double sse, const Press& press) const {
    return criterion_of(choice_.rule, model_.runs(), columns, sse, model_.sst(),
                        choice_.rule == Rule::predicted_r2 ? press() : 0);
  }
  double better_than() const {
    const double value = criterion();
    return value - 1e-9 * std::max(1.0, std::abs(value));
  }
  double reported(double criterion) const {
    return choice_.rule == Rule::p_value        ? model_.sse()
           : choice_.rule == Rule::predicted_r2 ? -criterion
                                                : criterion;
  }
  std::string reason(bool added) const {
    if (choice_.rule == Rule::p_value)
      return added ? fmt::format("p ≤ {:g} to come in", choice_.enter)
                   : fmt::format("p > {:g} to stay", choice_.leave);
    return fmt::format("{} {}", added ? "with it" : "without it",
                       choice_.rule == Rule::aicc  ? "AICc is lower"
                       : choice_.rule == Rule::bic ? "BIC is lower"
                                                   : "predicted R² is higher");
  }

  const TermChoice& choice_;
  SubsetModel model_;
};

/// The unit that a term belongs to. \throws Error  none.
std::size_t unit_of(const Space& space, const Regression& design, const std::vector<TermUnit>& units,
                    const Term& term, const char* option) {
  for (std::size_t u = 0; u < units.size(); ++u)
    for (const std::size_t t : units[u].terms)
      if (design.terms[t] == term) return u;
  throw Error(fmt::format("{} is not among the terms", name(space, term)), option,
              "the terms are " + describe(space, design.terms));
}

void drop_by_hand(const Space& space, const Regression& design, const TermChoice& choice, Chooser& chooser) {
  std::vector<std::size_t> wanted;
  for (const Term& t : choice.drop) {
    const std::size_t u = unit_of(space, design, chooser.units(), t, "`drop`");
    if (std::find(wanted.begin(), wanted.end(), u) == wanted.end()) wanted.push_back(u);
  }
  // What needs another goes first, so that the order in which they are named does not matter.
  while (!wanted.empty()) {
    const auto free = std::find_if(wanted.begin(), wanted.end(),
                                   [&](std::size_t u) { return !chooser.model().needed_by(u); });
    if (free == wanted.end()) {
      const std::size_t u = wanted.front(), child = *chooser.model().needed_by(u);
      throw Error(fmt::format("{} cannot go while {} is in, which needs it", chooser.units()[u].name,
                              chooser.units()[child].name),
                  "`drop` " + chooser.units()[u].name,
                  fmt::format("drop {} too, or say `no-heredity`", chooser.units()[child].name));
    }
    chooser.turn(*free, "asked for");
    wanted.erase(free);
  }
}

void choose_best_subset(const Regression& design, const TermChoice& choice, Chooser& chooser) {
  const std::size_t free = std::size_t(std::count_if(chooser.units().begin(), chooser.units().end(),
                                                     [](const TermUnit& u) { return !u.forced; }));
  if (free > 30)
    throw Error(fmt::format("{} terms are too many to try all subsets", free),
                "fit polynomial `choose=best-subset`", "use `choose=both`, or keep some terms with `keep`");
  const SubsetOfSize* best = nullptr;
  double least = std::numeric_limits<double>::infinity();
  const std::vector<SubsetOfSize> subsets = best_subsets(design, chooser.units());
  for (const SubsetOfSize& s : subsets) {
    double press = 0;
    if (choice.rule == Rule::predicted_r2) {
      SubsetModel trial(design, chooser.units(), true);
      for (std::size_t u = 0; u < s.in.size(); ++u)
        if (s.in[u]) trial.add(u);
      press = trial.press();
    }
    const double value = criterion_of(choice.rule, double(design.runs()), double(s.columns), s.sse,
                                      chooser.model().sst(), press);
    if (value < least || !best) least = value, best = &s;
  }
  // Out one by one, so that every term has its step; children before parents.
  for (std::size_t u = chooser.units().size(); u-- > 0;)
    if (!best->in[u] && chooser.model().has(u)) chooser.turn(u, "not in the best subset");
}

}  // namespace

TermSelection choose_terms(const Space& space, const Data& data, const Terms& candidates,
                           const TermChoice& choice, const Transform& transform) {
  if (choice.enter > choice.leave)
    throw Error(fmt::format("a term would come in at p = {:g} and go at p = {:g}, for ever", choice.enter,
                            choice.leave),
                "`enter`, `leave`", "give `leave` at least the value of `enter`");
  if (choice.method == Method::best_subset && choice.rule == Rule::p_value)
    throw Error("p-values do not compare subsets", "`choose=best-subset`",
                "say `by=aicc`, bic or predicted-r2");
  if (!choice.drop.empty() && choice.method != Method::none) {
    // First by hand; what is left are the candidates.
    TermChoice by_hand = choice, rest = choice;
    by_hand.method = Method::none;
    rest.drop.clear();
    TermSelection first = choose_terms(space, data, candidates, by_hand, transform);
    TermSelection second = choose_terms(space, data, first.terms, rest, transform);
    for (ChoiceStep& s : second.steps) s.step += s.step > 0 ? int(first.steps.size()) : 0;
    second.steps.insert(second.steps.begin(), first.steps.begin(), first.steps.end());
    return second;
  }
  const bool from_nothing = choice.method == Method::forward || choice.method == Method::both;
  // Where the start is all terms, the runs must carry them.
  if (choice.method == Method::backward || choice.method == Method::best_subset)
    regress(space, data, candidates, transform);
  const Regression design = regression_design(space, data, candidates, transform);
  std::vector<TermUnit> units = term_units(space, design, choice.heredity);
  for (const Term& t : choice.keep) units[unit_of(space, design, units, t, "`keep`")].forced = true;
  for (std::size_t u = units.size(); u-- > 0;)  // what a kept term needs is kept
    if (units[u].forced)
      for (const std::size_t parent : units[u].parents) units[parent].forced = true;

  Chooser chooser(design, units, choice);
  TermSelection out;
  if (from_nothing) {
    chooser.forced_in();
    const int most = 4 * int(units.size()) + 4;
    while (int(chooser.steps.size()) < most && chooser.step_in())
      while (choice.method == Method::both && int(chooser.steps.size()) < most && chooser.step_out()) {
      }
  } else {
    for (std::size_t u = 0; u < units.size(); ++u) chooser.model().add(u);
    drop_by_hand(space, design, choice, chooser);
    if (choice.method == Method::backward)
      while (chooser.step_out()) {
      }
    if (choice.method == Method::best_subset) choose_best_subset(design, choice, chooser);
  }
  out.steps = chooser.steps;
  chooser.finish(out);
  for (std::size_t t = 0; t < design.terms.size(); ++t) {
    bool in = design.terms[t].factors.empty();
    for (std::size_t u = 0; u < units.size(); ++u)
      in = in || (chooser.model().has(u) && std::count(units[u].terms.begin(), units[u].terms.end(), t));
    if (in) out.terms.push_back(design.terms[t]);
  }
  return out;
}

Fit choosing_fit(PolynomialOptions options, TermChoice choice) {
  return
      [options, choice](const Space& space, const Data& data, Seed seed) -> std::unique_ptr<const Surrogate> {
        PolynomialOptions chosen = options;
        Terms candidates =
            options.terms.empty() ? suggested_terms(space, data.inputs, data.blocks) : options.terms;
        TermChoice again = choice;
        if (options.confounded == Confounded::leave_out) {
          candidates = estimable_terms(space, candidates, data.inputs, data.blocks);
          const auto gone = [&](const Term& t) {
            return std::find(candidates.begin(), candidates.end(), t) == candidates.end();
          };
          again.keep.erase(std::remove_if(again.keep.begin(), again.keep.end(), gone), again.keep.end());
          again.drop.erase(std::remove_if(again.drop.begin(), again.drop.end(), gone), again.drop.end());
        }
        chosen.terms = choose_terms(space, data, candidates, again, options.transform).terms;
        return polynomial_fit(chosen)(space, data, seed);
      };
}

}  // namespace renth
