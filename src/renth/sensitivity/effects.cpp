#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/fit/regression.hpp>
#include <renth/numeric/dense.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/quality/anova.hpp>
#include <renth/quality/lenth.hpp>
#include <renth/sensitivity/runs.hpp>
#include <renth/terms/confounding.hpp>
#include <set>

namespace renth {
namespace {

using Index = Eigen::Index;

/// Squares where the runs carry them with room to spare, else products, else main effects.
Terms terms_for(const Space& space, const Data& data) {
  const Terms rich = suggested_terms(space, data.inputs, data.blocks);
  const Terms linear = estimable_terms(space, parse_terms(space, "linear"), data.inputs, data.blocks);
  if (rich.size() > linear.size()) return rich;
  const Terms products = parse_terms(space, "products");
  if (products.size() > std::size_t(data.size()) + 200) return linear;
  const Terms kept = estimable_terms(space, products, data.inputs, data.blocks);
  // Some products of many are those that come first, not those that matter, unless the plan is made for them.
  const bool planned = kept.size() == products.size() || kept.size() == std::size_t(data.size());
  return planned ? kept : linear;
}

/// What is tested, and against what: the residual, or the pseudo error where none is left.
struct Yardstick {
  double sigma2 = undefined, df = 0;
};

/// F of the columns of a group, with its numerator degrees of freedom.
struct Tested {
  double f = undefined, df = 0, ss = 0;
};

Tested test(const Regression& fit, const TermGroup& group, const Yardstick& yard) {
  std::vector<Index> columns;
  for (const std::size_t t : group.terms) columns.push_back(fit.column[t]);
  const Eigen::VectorXd beta = fit.beta.cast<double>()(columns);
  Tested out;
  out.df = double(columns.size());
  out.ss = beta.dot(solve_symmetric(fit.covariance(columns), beta));
  out.f = out.ss / out.df / yard.sigma2;
  return out;
}

Yardstick yardstick(const Regression& fit, double level) {
  if (fit.degrees_of_freedom() > 0) return {fit.sigma2(), fit.degrees_of_freedom()};
  std::vector<double> effects;
  for (std::size_t t = 0; t < fit.terms.size(); ++t) {
    if (fit.terms[t].factors.empty()) continue;
    effects.push_back(double(fit.beta[fit.column[t]]) / std::sqrt(fit.covariance({fit.column[t]})(0, 0)));
  }
  const Lenth l = lenth(Eigen::Map<const Eigen::VectorXd>(effects.data(), Index(effects.size())), level);
  return {l.pseudo_error * l.pseudo_error, l.degrees_of_freedom};
}

struct Found {
  double share = undefined, low = undefined, high = undefined, effect = undefined, standardised = undefined,
         p = undefined;
};

/// \param total  sum of squares of the response, shifts of blocks aside.
Found found(const Regression& fit, const TermGroup& group, const Yardstick& yard, double total,
            double level) {
  const Tested t = test(fit, group, yard);
  Found out;
  out.share = std::clamp(t.ss / total, 0.0, 1.0);
  out.p = fisher_f_upper(t.f, t.df, yard.df);
  out.standardised = std::sqrt(t.f);
  if (t.df > 1 && out.p > 0) out.standardised = student_t_width(1 - out.p, yard.df);
  if (!(yard.sigma2 > 0) || !(yard.df > 0)) {
    if (yard.sigma2 == 0)
      out.low = out.high = out.share;  // exact, as of a response that is such a polynomial
    return out;
  }
  // The root of the sum of squares is a length in units of σ, off by no more than Scheffé's radius.
  const double root = std::sqrt(t.ss),
               half = std::sqrt(t.df * fisher_f_quantile(level, t.df, yard.df) * yard.sigma2);
  out.low = std::pow(std::max(0.0, root - half), 2) / total;
  out.high = std::min(1.0, std::pow(root + half, 2) / total);
  return out;
}

/// From the low end of the span to the high one; of a choice the widest difference; of a product half the
/// change of one effect from end to end of the other, as of two levels.
double effect_of(const Space& space, const Regression& fit, const TermGroup& group) {
  const Term& first = fit.terms[group.terms.front()];
  const bool one = first.factors.size() == 1;
  const int parameter = first.factors.front().parameter;
  if (group.terms.size() == 1 && !(one && space[parameter].is_choice())) {
    const double beta = double(fit.beta[fit.column[group.terms.front()]]);
    return one && first.factors.front().power == 2 ? beta
                                                   : 2 * beta;  // of a square: from the middle to an end
  }
  if (!one) return undefined;
  const Eigen::MatrixXd table = contrasts(int(space[parameter].choices.size()));
  Eigen::VectorXd values = Eigen::VectorXd::Zero(table.rows());
  for (const std::size_t t : group.terms)
    values += double(fit.beta[fit.column[t]]) * table.col(fit.terms[t].factors.front().choice - 1);
  return values.maxCoeff() - values.minCoeff();
}

std::vector<Measure> measures_of(const Found& f) {
  return {{"effect", "effect", f.effect}, {"standardised", "|t|", f.standardised}, {"p", "p", f.p}};
}

/// Up or down by the sign of a significant effect; mixed if a square turns it inside the span.
std::string effect_direction(const Space& space, const Regression& fit, Index j, const Found& main,
                             double alpha) {
  double linear = 0, square = 0, error = 0;
  for (std::size_t t = 0; t < fit.terms.size(); ++t) {
    const auto& factors = fit.terms[t].factors;
    if (factors.size() != 1 || factors.front().parameter != j || factors.front().choice > 0) continue;
    const double beta = double(fit.beta[fit.column[t]]);
    if (factors.front().power == 1) linear = beta;
    if (factors.front().power != 2) continue;
    square = beta;
    error = std::sqrt(fit.covariance({fit.column[t]})(0, 0) * fit.sigma2());
  }
  if (space[j].is_choice()) return main.p < alpha ? "mixed" : "none";
  if (std::abs(square) > 0.5 * std::abs(linear) &&
      std::abs(square) > student_t_width(1 - alpha, fit.degrees_of_freedom()) * error)
    return "mixed";
  if (!(main.p < alpha)) return "none";
  return main.effect > 0 ? "up" : "down";
}

void remark_on_confounded(const Space& space, const Data& data, const Terms& kept, Ranking& out) {
  const Terms linear = parse_terms(space, "linear");
  std::set<Index> there;
  for (const Term& t : kept)
    if (t.factors.size() == 1) there.insert(t.factors.front().parameter);
  std::vector<Index> lost;
  for (Index j = 0; j < space.size(); ++j)
    if (!there.contains(j)) lost.push_back(j);
  if (lost.empty()) return;
  const Eigen::MatrixXd x = model_matrix(space, linear, data.inputs);
  out.remarks.push_back(
      fmt::format("the runs cannot tell these apart: {}", describe(space, linear, find_confounding(x))));
}

}  // namespace

Ranking effects_of_runs(const Space& space, const Data& data, double level) {
  const Eigen::VectorXd y = detail::output_of_runs(space, data, 3);
  const double total = (y.array() - y.mean()).square().sum();
  const Terms terms = terms_for(space, data);
  const Regression fit = regress(space, data, terms, {}, Confounded::leave_out);
  const Yardstick yard = yardstick(fit, level);
  if (fit.terms.size() < 2)
    throw Error("the runs tell no main effect", "runs", "add runs in which the parameters change");
  Ranking out;
  out.method = "effects";
  out.line = student_t_width(level, yard.df);
  out.variance = total / double(fit.runs() - 1);
  std::vector<bool> ranked(std::size_t(space.size()), false);
  for (const TermGroup& group : group_contrasts(space, fit.terms)) {
    Yardstick mine = yard;
    if (fit.plots.count() > 0 && fit.degrees_of_freedom() > 0) {
      std::vector<Index> columns;
      for (const std::size_t t : group.terms) columns.push_back(fit.column[t]);
      mine.df = fit.freedom_of(columns);
    }
    Found f = found(fit, group, mine, total, level);
    f.effect = effect_of(space, fit, group);
    const auto& factors = fit.terms[group.terms.front()].factors;
    if (factors.size() == 1 && factors.front().power == 1) {
      RankedParameter p;
      p.parameter = factors.front().parameter;
      p.share = f.share;
      p.low = f.low;
      p.high = f.high;
      p.direction = effect_direction(space, fit, p.parameter, f, 1 - level);
      p.measures = measures_of(f);
      ranked[std::size_t(p.parameter)] = true;
      out.parameters.push_back(std::move(p));
    } else {
      out.interactions.push_back(
          {factors.front().parameter, factors.back().parameter, f.share, f.low, f.high, measures_of(f)});
    }
  }
  for (Index j = 0; j < space.size(); ++j)
    if (!ranked[std::size_t(j)]) {
      RankedParameter p;
      p.parameter = j;
      p.share = p.low = p.high = undefined;
      p.direction = "none";
      p.measures = measures_of({});
      out.parameters.push_back(std::move(p));
    }
  if (!(fit.degrees_of_freedom() > 0))
    out.remarks.push_back("nothing is left to estimate the error: it is Lenth's pseudo standard error");
  if (out.interactions.empty() && space.size() > 1)
    out.remarks.push_back(fmt::format(
        "{} runs are too few, or lie so, that products of parameters cannot be told", data.size()));
  remark_on_confounded(space, data, fit.terms, out);
  sort_by_share(out);
  return out;
}

}  // namespace renth
