#include <doctest/doctest.h>

#include <renth/fit/polynomial_fit.hpp>
#include <renth/fit/regression.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/numeric/random.hpp>
#include <renth/quality/anova.hpp>
#include <renth/quality/quality.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <renth/surrogate/transform.hpp>
#include <support_regression.hpp>

using namespace renth;
using namespace renth::test;

namespace {

/// Columns of a source by its name.
std::vector<Eigen::Index> columns_of(const Space& space, const Regression& fit, const std::string& source) {
  std::vector<Eigen::Index> out;
  for (std::size_t t = 0; t < fit.terms.size(); ++t) {
    const Term& term = fit.terms[t];
    const int order = term.order();
    std::string plain = name(space, term);
    for (auto open = plain.find('['); open != std::string::npos; open = plain.find('['))
      plain.erase(open, plain.find(']') - open + 1);
    const std::string group = order == 1                               ? "linear"
                              : order == 2 && term.factors.size() == 2 ? "products"
                              : order == 2                             ? "squares"
                                                                       : "higher";
    if (order > 0 && (source == "model" || source == group || source == plain)) out.push_back(fit.column[t]);
  }
  for (Eigen::Index b = 0; source == "blocks" && b < fit.block_columns; ++b)
    out.push_back(fit.first_block + b);
  return out;
}

Eigen::MatrixXd factorial(int k, int centres) {
  Eigen::MatrixXd out = Eigen::MatrixXd::Zero((1 << k) + centres, k);
  for (int i = 0; i < (1 << k); ++i)
    for (int j = 0; j < k; ++j) out(i, j) = (i >> j) & 1 ? 1 : -1;
  return out;
}

}  // namespace

TEST_CASE(
    "sums of squares are what refits without the term lose, partial and sequential, with blocks and "
    "weights") {
  const Space space = mixed();
  Data data = noisy_runs(space, 48, 2);
  data.blocks = Eigen::VectorXi::NullaryExpr(48, [](Eigen::Index i) { return int(i % 3); });
  data.weights = Eigen::VectorXd::NullaryExpr(48, [](Eigen::Index i) { return 1 + 0.5 * double(i % 5); });
  for (Eigen::Index i = 0; i < 6; ++i)
    data.inputs.row(i + 6) = data.inputs.row(i), data.blocks[i + 6] = data.blocks[i];
  const Terms terms = parse_terms(space, "quadratic + a^3");
  const Regression fit = regress(space, data, terms);
  const Anova anova = analyse_variance(space, data, fit);
  const Eigen::VectorXd y = data.outputs.col(0).cwiseProduct(fit.root);
  const double sse = slow_fit(fit.x, y).sse;
  CHECK(anova.find("residual")->ss == doctest::Approx(sse).epsilon(1e-10));

  std::vector<std::string> order;
  double told = 0, shares = 0;
  std::vector<Eigen::Index> before = {0};
  for (const AnovaRow& row : anova.rows) {
    order.push_back(row.source);
    const std::vector<Eigen::Index> columns = columns_of(space, fit, row.source);
    if (columns.empty()) continue;
    CAPTURE(row.source);
    CHECK(row.df == double(columns.size()));
    CHECK(row.ss == doctest::Approx(slow_fit(columns_but(fit.x, columns), y).sse - sse).epsilon(1e-9));
    CHECK(row.f == doctest::Approx(row.ss / row.df / (sse / double(48 - fit.x.cols()))).epsilon(1e-9));
    CHECK(row.p == doctest::Approx(fisher_f_upper(row.f, row.df, double(48 - fit.x.cols()))));
    const bool single = row.source != "model" && row.source != "linear" && row.source != "products" &&
                        row.source != "squares" && row.source != "higher";
    if (!single) continue;
    const double without = slow_fit(fit.x(Eigen::all, before), y).sse;
    before.insert(before.end(), columns.begin(), columns.end());
    CHECK(row.ss_sequential ==
          doctest::Approx(without - slow_fit(fit.x(Eigen::all, before), y).sse).epsilon(1e-8));
    told += row.ss_sequential;
    shares += row.share;
  }
  CHECK(told + sse == doctest::Approx(anova.find("total")->ss).epsilon(1e-11));
  CHECK(shares + anova.find("residual")->share == doctest::Approx(1).epsilon(1e-11));
  CHECK(anova.find("model")->ss_sequential + anova.find("blocks")->ss_sequential + sse ==
        doctest::Approx(anova.find("total")->ss).epsilon(1e-11));
  const std::vector<std::string> head(order.begin(), order.begin() + 7), tail(order.end() - 4, order.end());
  CHECK(head == std::vector<std::string>{"model", "blocks", "linear", "products", "squares", "higher", "a"});
  CHECK(tail == std::vector<std::string>{"residual", "lack_of_fit", "pure_error", "total"});
  // Pure error: a model with a mean of its own for every group of replicates has it as its residual.
  CHECK(anova.pure_error_df == 6);
  double pure = 0;
  for (Eigen::Index i = 0; i < 6; ++i) {
    const double wa = data.weights[i], wb = data.weights[i + 6],
                 d = data.outputs(i, 0) - data.outputs(i + 6, 0);
    pure += wa * wb / (wa + wb) * d * d;
  }
  CHECK(anova.find("pure_error")->ss == doctest::Approx(pure).epsilon(1e-10));
  CHECK(anova.find("lack_of_fit")->ss + pure == doctest::Approx(sse).epsilon(1e-10));
}

TEST_CASE("curvature is the difference of the means of corners and centre runs") {
  const Space space = cube(3, -1, 1);
  Stream noise(1, "noise");
  const Data data = data_of(
      factorial(3, 4),
      [&](const Eigen::VectorXd& x) {
        return 10 + 2 * x[0] - x[1] + x[0] * x[1] + 3 * x[0] * x[0] + 0.2 * noise.normal();
      },
      true);
  const Regression fit = regress(space, data, parse_terms(space, "products"));
  const Anova anova = analyse_variance(space, data, fit);
  const double corners = data.outputs.col(0).head(8).mean(), centre = data.outputs.col(0).tail(4).mean();
  const double ss = 8.0 * 4 * std::pow(corners - centre, 2) / 12;  // the textbook's formula
  const AnovaRow* row = anova.find("curvature");
  REQUIRE(row);
  CHECK(row->ss == doctest::Approx(ss).epsilon(1e-10));
  CHECK(row->f == doctest::Approx(ss / (anova.pure_error / 3)).epsilon(1e-10));
  CHECK(row->p < 1e-3);
  CHECK_FALSE(anova.axial_runs);
  // It is part of the lack of fit, and a model with squares has no such row.
  CHECK(anova.find("lack_of_fit")->ss >= ss);
  Data axial = data;
  axial.inputs.conservativeResize(18, 3);
  axial.outputs.conservativeResize(18, 1);
  axial.inputs.bottomRows(6).setZero();
  for (Eigen::Index i = 0; i < 6; ++i)
    axial.inputs(12 + i, i / 2) = i % 2 ? 1.5 : -1.5, axial.outputs(12 + i, 0) = double(i);
  const Regression bent = regress(space, axial, parse_terms(space, "quadratic"));
  CHECK(analyse_variance(space, axial, bent).find("curvature") == nullptr);
  CHECK(analyse_variance(space, axial, bent).axial_runs);
}

TEST_CASE(
    "without replicates, without degrees of freedom: no figure, and Lenth's error tells the active effects") {
  const Space space = cube(4, -1, 1);
  Stream noise(5, "noise");
  const Data data = data_of(
      factorial(4, 0),
      [&](const Eigen::VectorXd& x) {
        return 50 + 6 * x[0] + 4 * x[2] - 5 * x[0] * x[2] + 0.5 * noise.normal();
      },
      true);
  const Terms all = parse_terms(space, "products + x1*x2*x3 + x1*x2*x4 + x1*x3*x4 + x2*x3*x4 + x1*x2*x3*x4");
  const auto model = polynomial_fit({all})(space, data, 1);
  const auto report = report_regression(static_cast<const Polynomial&>(*model), data);
  CHECK(std::isnan(report.anova.find("model")->p));
  CHECK(std::isnan(report.anova.find("lack_of_fit")->ss));
  CHECK(report.effects.size() == 15);
  int active = 0;
  for (const Effect& e : report.effects) {
    active += e.active;
    if (e.active) CHECK((e.term == "x1" || e.term == "x3" || e.term == "x1*x3"));
  }
  CHECK(active == 3);
  // Lenth's own formula on sorted sizes, done again by hand.
  std::vector<double> sizes;
  for (const Effect& e : report.effects) sizes.push_back(std::abs(e.value));
  std::sort(sizes.begin(), sizes.end());
  const double s0 = 1.5 * sizes[7];
  sizes.erase(std::remove_if(sizes.begin(), sizes.end(), [&](double v) { return v >= 2.5 * s0; }),
              sizes.end());
  const std::size_t m = sizes.size();
  const double pse = 1.5 * (m % 2 ? sizes[m / 2] : 0.5 * (sizes[m / 2 - 1] + sizes[m / 2]));
  CHECK(report.lenth.pseudo_error == doctest::Approx(pse));
  CHECK(report.lenth.margin == doctest::Approx(2.571 * pse).epsilon(1e-3));  // t(0.975; 5), Lenth's table
  Quality q;
  q.runs = 16;
  q.regression = std::make_shared<RegressionReport>(report);
  const Judgement said = judge(q, true, "polynomial");
  CHECK(said.verdict == Verdict::unfit);
  CHECK(said.reasons[0].find("means nothing") != std::string::npos);
  CHECK(said.reasons[1].find("x1, x1*x3, x3") != std::string::npos);
  CHECK(said.next[0].find("drop the smallest terms") != std::string::npos);
}

TEST_CASE("Box–Cox finds the scale that made the data, and leaves good data alone") {
  const Space space = cube(2, 0, 1);
  const Terms terms = parse_terms(space, "linear");
  for (const double lambda : {0.0, 0.5, 1.0, -1.0}) {
    CAPTURE(lambda);
    Stream noise(11, "noise");
    const Data data = data_of(
        sample_region(space, 60, Values::physical, 3, "points"),
        [&](const Eigen::VectorXd& x) {
          const double z = 1.5 + x[0] + 0.5 * x[1] + 0.04 * noise.normal();
          return lambda == 0 ? std::exp(2 * z) : std::pow(z, 1 / lambda) * 20;
        },
        true);
    const auto found = box_cox(space, data, terms);
    REQUIRE(found);
    CHECK(found->low < lambda);
    CHECK(lambda < found->high);
    CHECK(found->suggestion == lambda);
    // The largest likelihood, and where it has fallen by half of the χ² quantile, by refits.
    const auto likelihood = [&](double power) {
      Data as = data;
      for (double& y : as.outputs.reshaped()) y = Transform{power}.forward(y);
      return -30 * std::log(regress(space, as, terms).sse / 60) +
             (power - 1) * data.outputs.array().log().sum();
    };
    const double most = likelihood(found->lambda);
    for (const double step : {1e-4, -1e-4, 1e-2, -1e-2})
      CHECK(likelihood(found->lambda + step) <= most + 1e-9);
    const double within = most - 0.5 * 3.841458820694124;
    if (found->low > -2) CHECK(likelihood(found->low) == doctest::Approx(within).epsilon(1e-9));
    if (found->high < 2) CHECK(likelihood(found->high) == doctest::Approx(within).epsilon(1e-9));
    // One point of the profile against a refit of the transformed response.
    Data z = data;
    for (double& y : z.outputs.reshaped()) y = Transform{0.5}.forward(y);
    const double refit =
        -30 * std::log(regress(space, z, terms).sse / 60) - 0.5 * data.outputs.array().log().sum();
    CHECK(found->profile[25].lambda == doctest::Approx(0.5));
    CHECK(found->profile[25].log_likelihood == doctest::Approx(refit).epsilon(1e-10));
  }
  // A model without a constant has to explain the mean too.
  const Data plain = noisy_runs(space, 20, 1);
  const Terms through_nought = parse_terms(space, "linear - 1");
  const double left = slow_fit(model_matrix(space, through_nought, plain.inputs), plain.outputs).sse;
  const auto without_constant = box_cox(space, plain, through_nought);
  REQUIRE(without_constant);
  CHECK(without_constant->profile[30].lambda == doctest::Approx(1));
  CHECK(without_constant->profile[30].log_likelihood ==
        doctest::Approx(-10 * std::log(left / 20)).epsilon(1e-10));
  Data negative = noisy_runs(space, 20, 1);
  negative.outputs(3, 0) = -1;
  CHECK_FALSE(box_cox(space, negative, terms));
}

TEST_CASE(
    "the judgement names lack of fit, curvature, inflation, runs that stand out and drift, with the next "
    "step") {
  const Space space = cube(2, -1, 1);
  const auto judged = [&](const Data& data, const std::string& terms) {
    const auto model = polynomial_fit({parse_terms(space, terms)})(space, data, 1);
    const CrossValidation cv =
        cross_validate(space, data, make_folds(space, data, 1),
                       polynomial_fit({parse_terms(space, terms), Confounded::leave_out}), 1);
    const Judgement j = judge(measure_quality(space, *model, data, cv, nullptr), true, "polynomial");
    std::string text;
    for (const auto& list : {j.reasons, j.next})
      for (const std::string& s : list) text += s + "\n";
    return text;
  };
  const auto says = [](const std::string& text, const char* part) {
    return text.find(part) != std::string::npos;
  };
  Stream noise(3, "noise");
  // Corners and centre runs of a bowl: curvature, and the axial stage comes next.
  Data bowl = data_of(
      [] {
        Eigen::MatrixXd p = Eigen::MatrixXd::Zero(13, 2);
        for (int i = 0; i < 8; ++i) p(i, 0) = i & 1 ? 1 : -1, p(i, 1) = i & 2 ? 1 : -1;
        return p;
      }(),
      [&](const Eigen::VectorXd& x) { return 4 * x[0] + x[0] * x[0] + x[1] * x[1] + 0.05 * noise.normal(); },
      true);
  const std::string curved = judged(bowl, "products");
  CHECK(says(curved, "curvature p ="));
  CHECK(says(curved, "lack of fit p ="));
  CHECK(says(curved, "`stage=axial` `of=BATCH`"));
  // With the squares of a surface of third order there is lack of fit, and no axial runs are proposed.
  Data cubic = data_of(
      [] {
        Eigen::MatrixXd p(40, 2);
        for (int i = 0; i < 40; ++i) p(i, 0) = -1 + 0.5 * (i / 2 % 5), p(i, 1) = -1 + 2.0 / 3 * (i / 10);
        return p;
      }(),
      [&](const Eigen::VectorXd& x) {
        return 5 * std::pow(x[0], 3) - 3 * x[0] + x[1] + 0.05 * noise.normal();
      },
      true);
  const std::string bent = judged(cubic, "quadratic");
  CHECK(says(bent, "these squares and products can't follow"));
  CHECK(says(bent, "fit a metamodel"));
  CHECK_FALSE(says(bent, "axial"));
  // Two parameters that went up and down together.
  Data together = noisy_runs(space, 24, 2, 0.1);
  together.inputs.col(1) = together.inputs.col(0) + 0.05 * together.inputs.col(1);
  CHECK(says(judged(together, "linear"), "is inflated"));
  // A drift over the runs, and a wrong run.
  Data drifting = noisy_runs(space, 40, 5, 0.1);
  for (Eigen::Index i = 0; i < 40; ++i) drifting.outputs(i, 0) += 0.05 * double(i);
  CHECK(says(judged(drifting, "quadratic"), "drifted"));
  Data wrong = noisy_runs(space, 40, 6, 0.1);
  wrong.outputs(11, 0) += 3;
  CHECK(says(judged(wrong, "quadratic"), "1 run stands out"));
}
