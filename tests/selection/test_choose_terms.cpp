#include <doctest/doctest.h>

#include <algorithm>
#include <map>
#include <renth/base/error.hpp>
#include <renth/fit/fit.hpp>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/fit/regression.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/numeric/random.hpp>
#include <renth/selection/best_subset.hpp>
#include <renth/selection/choose.hpp>
#include <renth/selection/choose_terms.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <support_regression.hpp>

using namespace renth;
using namespace renth::test;

namespace {

/// Refits from scratch with dense solves.
struct Reference {
  Regression design;
  std::vector<TermUnit> units;
  Eigen::VectorXd y;

  Reference(const Space& space, const Data& data, const Terms& terms) : design(regress(space, data, terms)) {
    units = term_units(space, design);
    y = design.y.cwiseProduct(design.root);
  }
  Eigen::MatrixXd columns(const std::vector<bool>& in) const {
    std::vector<Eigen::Index> list = {0};
    for (Eigen::Index b = 0; b < design.block_columns; ++b) list.push_back(design.first_block + b);
    for (std::size_t u = 0; u < units.size(); ++u)
      if (in[u]) list.insert(list.end(), units[u].columns.begin(), units[u].columns.end());
    return design.x(Eigen::all, list);
  }
  double sse(const std::vector<bool>& in) const { return slow_fit(columns(in), y).sse; }
  double press(const std::vector<bool>& in) const {
    const Eigen::MatrixXd x = columns(in), hat = x * (x.transpose() * x).inverse() * x.transpose();
    const Eigen::VectorXd e = y - hat * y;
    return (e.array() / (1 - hat.diagonal().array())).square().sum();
  }
  double p(const std::vector<bool>& in, std::size_t u) const {
    std::vector<bool> with = in, without = in;
    with[u] = true;
    without[u] = false;
    const double m = double(units[u].columns.size()), df = double(y.size()) - double(columns(with).cols());
    return fisher_f_upper((sse(without) - sse(with)) / m / (sse(with) / df), m, df);
  }
  double criterion(const std::vector<bool>& in, TermChoice::Rule rule) const {
    const double n = double(y.size()), k = double(columns(in).cols()) + 1;
    if (rule == TermChoice::Rule::predicted_r2) return press(in);
    const double base = n * std::log(sse(in) / n);
    return rule == TermChoice::Rule::bic ? base + k * std::log(n)
                                         : base + 2 * k + 2 * k * (k + 1) / (n - k - 1);
  }
  bool obeys(const std::vector<bool>& in) const {
    for (std::size_t u = 0; u < units.size(); ++u)
      for (const std::size_t parent : units[u].parents)
        if (in[u] && !in[parent]) return false;
    return true;
  }
  /// One step of a rule by trying every neighbour; false if nothing is to be done.
  bool step(std::vector<bool>& in, TermChoice::Rule rule, bool enter, bool leave) const {
    std::size_t best = units.size();
    double value = rule == TermChoice::Rule::p_value ? (enter ? 0.05 : 0.10) : criterion(in, rule) - 1e-9;
    for (std::size_t u = 0; u < units.size(); ++u) {
      if (in[u] ? !leave : !enter) continue;
      std::vector<bool> turned = in;
      turned[u] = !turned[u];
      if (!obeys(turned)) continue;
      const double v = rule == TermChoice::Rule::p_value ? p(in, u) : criterion(turned, rule);
      if (rule == TermChoice::Rule::p_value && !enter ? v > value : v < value) value = v, best = u;
    }
    if (best == units.size()) return false;
    in[best] = !in[best];
    return true;
  }
  double p(const std::vector<bool>& with, const std::vector<bool>& without) const {
    const double before = double(columns(without).cols()), after = double(columns(with).cols()),
                 m = after - before, df = double(y.size()) - after;
    return fisher_f_upper((sse(without) - sse(with)) / m / (sse(with) / df), m, df);
  }
  /// Where no term should come in by itself: the best of those that bring their parents.
  bool step_with_parents(std::vector<bool>& in, TermChoice::Rule rule) const {
    const bool by_p = rule == TermChoice::Rule::p_value;
    std::vector<bool> best;
    double value = by_p ? 0.05 : criterion(in, rule) - 1e-9;
    for (std::size_t u = 0; u < units.size(); ++u) {
      if (in[u]) continue;
      std::vector<bool> parents = in;
      for (const std::size_t parent : units[u].parents) parents[parent] = true;
      std::vector<bool> all = parents;
      all[u] = true;
      if (parents == in || !obeys(all)) continue;
      if (by_p ? p(all, parents) > 0.05 : criterion(all, rule) >= criterion(parents, rule)) continue;
      const double v = by_p ? p(all, in) : criterion(all, rule);
      if (v < value) value = v, best = all;
    }
    if (best.empty()) return false;
    in = best;
    return true;
  }
};

std::vector<bool> chosen(const Reference& reference, const TermSelection& s) {
  std::vector<bool> out;
  for (const TermUnit& u : reference.units)
    out.push_back(std::find(s.terms.begin(), s.terms.end(), reference.design.terms[u.terms[0]]) !=
                  s.terms.end());
  return out;
}

TermChoice choice(TermChoice::Method method, TermChoice::Rule rule) {
  TermChoice c;
  c.method = method;
  c.rule = rule;
  return c;
}

}  // namespace

TEST_CASE("stepwise choices are those of a slow reference that refits everything at every step") {
  const Space space = mixed();
  using Method = TermChoice::Method;
  using Rule = TermChoice::Rule;
  for (const Seed seed : {1, 2, 3}) {
    Data data = noisy_runs(space, 45, seed, 3.0);
    if (seed == 2)
      data.weights = Eigen::VectorXd::NullaryExpr(45, [](Eigen::Index i) { return 1 + double(i % 2); });
    if (seed == 3) data.blocks = Eigen::VectorXi::NullaryExpr(45, [](Eigen::Index i) { return int(i % 2); });
    const Terms all = parse_terms(space, "quadratic");
    const Reference reference(space, data, all);
    for (const Rule rule : {Rule::p_value, Rule::aicc, Rule::bic, Rule::predicted_r2})
      for (const Method method : {Method::forward, Method::backward, Method::both}) {
        CAPTURE(seed);
        CAPTURE(int(rule));
        CAPTURE(int(method));
        std::vector<bool> in(reference.units.size(), method == Method::backward);
        if (method == Method::backward)
          while (reference.step(in, rule, false, true)) {
          }
        else
          for (int guard = 0; guard < 100 && (reference.step(in, rule, true, false) ||
                                              reference.step_with_parents(in, rule));
               ++guard)
            while (method == Method::both && reference.step(in, rule, false, true)) {
            }
        const TermSelection found = choose_terms(space, data, all, choice(method, rule));
        CHECK(chosen(reference, found) == in);
        // The figures of the last step are those of a refit, and every step is told.
        REQUIRE(!found.steps.empty());
        const auto last = std::find_if(found.steps.rbegin(), found.steps.rend(),
                                       [](const ChoiceStep& s) { return s.step > 0; });
        if (last == found.steps.rend()) continue;
        const double expected = rule == Rule::p_value        ? reference.sse(in)
                                : rule == Rule::predicted_r2 ? 1 - reference.press(in) / reference.design.sst
                                                             : reference.criterion(in, rule);
        CHECK(last->criterion == doctest::Approx(expected).epsilon(1e-7));
      }
  }
}

TEST_CASE("p-values along the way are those of refits") {
  const Space space = cube(3, -1, 1);
  const Data data = noisy_runs(space, 30, 6, 1.0);
  const Terms all = parse_terms(space, "quadratic");
  const Reference reference(space, data, all);
  const TermSelection found =
      choose_terms(space, data, all, choice(TermChoice::Method::backward, TermChoice::Rule::p_value));
  std::vector<bool> in(reference.units.size(), true);
  for (const ChoiceStep& s : found.steps) {
    if (s.step == 0) continue;
    for (std::size_t u = 0; u < in.size(); ++u)
      if (reference.units[u].name == s.term) {
        CHECK(s.p == doctest::Approx(reference.p(in, u)).epsilon(1e-8));
        in[u] = false;
      }
  }
  CHECK(reference.obeys(in));
}

TEST_CASE("the best subset is the best of all that can be listed, with and without heredity") {
  const Space space(
      {continuous("a", -1, 1), continuous("b", -1, 1), choice("hull", {"steel", "wood", "glass"})});
  const Data data = noisy_runs(space, 30, 9, 2.0);
  const Terms all = parse_terms(space, "quadratic");
  const Reference reference(space, data, all);
  const std::size_t m = reference.units.size();
  for (const bool heredity : {true, false}) {
    std::map<Eigen::Index, double> best;
    for (unsigned mask = 0; mask < (1u << m); ++mask) {
      std::vector<bool> in(m);
      for (std::size_t u = 0; u < m; ++u) in[u] = (mask >> u) & 1;
      if (heredity && !reference.obeys(in)) continue;
      const Eigen::Index k = reference.columns(in).cols();
      const double sse = reference.sse(in);
      if (!best.count(k) || sse < best[k]) best[k] = sse;
    }
    for (const SubsetOfSize& s :
         best_subsets(reference.design, term_units(space, reference.design, heredity))) {
      CAPTURE(s.columns);
      CHECK(s.sse == doctest::Approx(best.at(s.columns)).epsilon(1e-9));
      CHECK(reference.sse(s.in) == doctest::Approx(s.sse).epsilon(1e-9));
    }
  }
  TermChoice by = choice(TermChoice::Method::best_subset, TermChoice::Rule::aicc);
  const std::vector<bool> in = chosen(reference, choose_terms(space, data, all, by));
  for (unsigned mask = 0; mask < (1u << m); ++mask) {
    std::vector<bool> other(m);
    for (std::size_t u = 0; u < m; ++u) other[u] = (mask >> u) & 1;
    if (reference.obeys(other))
      CHECK(reference.criterion(in, by.rule) <= reference.criterion(other, by.rule) + 1e-9);
  }
}

TEST_CASE(
    "what is asked for by hand goes or stays, a main effect stays while a product needs it, and why is "
    "told") {
  const Space space = cube(3, -1, 1);
  Stream noise(5, "noise");
  const Data data = data_of(
      sample_region(space, 40, Values::physical, 2, "points"),
      [&](const Eigen::VectorXd& x) { return 5 * x[0] + 4 * x[0] * x[1] + 0.3 * noise.normal(); }, true);
  const Terms all = parse_terms(space, "products");
  TermChoice c = choice(TermChoice::Method::backward, TermChoice::Rule::p_value);
  TermSelection s = choose_terms(space, data, all, c);
  CHECK(describe(space, s.terms) == "1 + x1 + x2 + x1*x2");
  REQUIRE(s.kept.size() == 1);
  CHECK(s.kept[0].term == "x2");
  CHECK(s.kept[0].because.find("x1*x2") != std::string::npos);
  CHECK(s.kept[0].p > 0.10);
  c.heredity = false;
  CHECK(describe(space, choose_terms(space, data, all, c).terms) == "1 + x1 + x1*x2");
  c.heredity = true;
  c.keep = parse_terms(space, "x3 - 1");
  CHECK(describe(space, choose_terms(space, data, all, c).terms) == "1 + x1 + x2 + x3 + x1*x2");
  TermChoice hand;
  hand.drop = parse_terms(space, "x1*x3 + x2*x3 + x3 - 1");
  s = choose_terms(space, data, all, hand);
  CHECK(describe(space, s.terms) == "1 + x1 + x2 + x1*x2");
  CHECK(s.steps.back().rule == "asked for");
  hand.drop = parse_terms(space, "x1 - 1");
  CHECK_THROWS_WITH_AS(choose_terms(space, data, all, hand), doctest::Contains("x1 cannot go while x1*x2"),
                       Error);
  hand.drop = parse_terms(space, "x1^2 - 1");
  CHECK_THROWS_WITH_AS(choose_terms(space, data, all, hand), doctest::Contains("not among the terms"), Error);
  c.enter = 0.2;
  CHECK_THROWS_WITH_AS(choose_terms(space, data, all, c), doctest::Contains("for ever"), Error);
  // More candidates than runs: forward can start all the same, backward cannot.
  const Data few = data.rows({0, 1, 2, 3, 4, 5, 6, 7});
  const Terms many = parse_terms(space, "cubic");
  CHECK(choose_terms(space, few, many, choice(TermChoice::Method::forward, TermChoice::Rule::p_value))
            .terms.size() < 8);
  CHECK_THROWS_WITH_AS(
      choose_terms(space, few, many, choice(TermChoice::Method::backward, TermChoice::Rule::p_value)),
      doctest::Contains("8 runs are too few for"), Error);
  // Terms taken out by hand need not be estimable: that is why they are taken out.
  hand.drop = parse_terms(space, "x1^2 + x2^2 + x3^2 + x2*x3 - 1");
  CHECK(choose_terms(space, few, parse_terms(space, "quadratic"), hand).terms.size() == 6);
  hand.method = TermChoice::Method::backward;
  CHECK(choose_terms(space, few, parse_terms(space, "quadratic"), hand).steps.size() >= 4);
}

TEST_CASE(
    "a product whose parents do nothing by themselves comes in with them, and noise brings nothing in") {
  const Space space = cube(3, -1, 1);
  int found = 0, chosen_of_noise = 0;
  for (Seed seed = 1; seed <= 40; ++seed) {
    CAPTURE(seed);
    Stream noise(seed, "noise");
    const Eigen::MatrixXd points = sample_region(space, 30, Values::physical, seed, "points");
    const Data data = data_of(
        points, [&](const Eigen::VectorXd& x) { return 4 * x[0] * x[1] + 0.3 * noise.normal(); }, true);
    const Data nothing = data_of(
        points, [&](const Eigen::VectorXd&) { return noise.normal(); }, true);
    for (const auto rule :
         {TermChoice::Rule::p_value, TermChoice::Rule::bic, TermChoice::Rule::predicted_r2}) {
      CAPTURE(int(rule));
      const TermSelection s =
          choose_terms(space, data, parse_terms(space, "quadratic"), choice(TermChoice::Method::both, rule));
      const std::string terms = describe(space, s.terms);
      CHECK(terms.find("x1 + x2") != std::string::npos);
      CHECK(terms.find("x1*x2") != std::string::npos);
      found += terms == "1 + x1 + x2 + x1*x2";
    }
    chosen_of_noise += int(choose_terms(space, nothing, parse_terms(space, "quadratic"),
                                        choice(TermChoice::Method::both, TermChoice::Rule::p_value))
                               .terms.size()) -
                       1;
  }
  CHECK(found > 0.5 * 120);
  CHECK(chosen_of_noise < 40 * 9 * 0.15);  // of nine terms each that could come in at p = 0.05
}

TEST_CASE("cross-validation pays for the choice of terms") {
  // Nothing but noise: terms chosen on all runs would look good, and Q² must not.
  const Space space = cube(5, -1, 1);
  Stream noise(8, "noise");
  const Data data = data_of(
      sample_region(space, 40, Values::physical, 7, "points"),
      [&](const Eigen::VectorXd&) { return noise.normal(); }, true);
  TermChoice c = choice(TermChoice::Method::backward, TermChoice::Rule::p_value);
  c.heredity = false;
  const PolynomialOptions options{parse_terms(space, "quadratic")};
  const auto whole = choosing_fit(options, c)(space, data, 1);
  const Folds folds = make_folds(space, data, 1);
  const auto q2 = [&](const Fit& fit) {
    return measure_quality(space, *whole, data, cross_validate(space, data, folds, fit, 1), nullptr).q2;
  };
  const double honest = q2(choosing_fit({options.terms, Confounded::leave_out}, c));
  const double flattering =
      q2(polynomial_fit({static_cast<const Polynomial&>(*whole).state().terms, Confounded::leave_out}));
  CHECK(honest < 0);
  CHECK(flattering > honest + 0.2);
}

TEST_CASE("once nothing but rounding is left, no more terms come in") {
  const Space space({continuous("a", 1, 4), continuous("b", 1, 2)});
  const Data data = data_of(
      sample_region(space, 20, Values::physical, 2, "points"),
      [](const Eigen::VectorXd& x) { return 10 - std::pow(x[0] - 3, 2) - 4 * std::pow(x[1] - 1.32, 2); });
  for (const TermChoice::Rule rule :
       {TermChoice::Rule::p_value, TermChoice::Rule::aicc, TermChoice::Rule::predicted_r2})
    for (const TermChoice::Method method : {TermChoice::Method::both, TermChoice::Method::backward}) {
      CAPTURE(int(rule));
      CAPTURE(int(method));
      CHECK(
          describe(space,
                   choose_terms(space, data, parse_terms(space, "quadratic"), choice(method, rule)).terms) ==
          "1 + a + b + a^2 + b^2");
    }
}
