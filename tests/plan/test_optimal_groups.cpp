// Optimal plans in blocks and whole plots, for several models, and with runs for pure error.
#include <doctest/doctest.h>

#include <Eigen/LU>
#include <functional>
#include <renth/base/error.hpp>
#include <renth/plan/assess.hpp>
#include <renth/plan/methods.hpp>
#include <renth/plan/optimal.hpp>
#include <renth/terms/block_columns.hpp>
#include <renth/terms/moments.hpp>
#include <set>
#include <support.hpp>

using namespace renth;
using namespace renth::test;
using Eigen::MatrixXd;
using C = OptimalOptions::Criterion;

namespace {

Space levels_of(int k, const std::vector<double>& values, int hard = 0) {
  std::vector<Parameter> p;
  for (int j = 0; j < k; ++j) {
    p.push_back(levels("x" + std::to_string(j + 1), values));
    p.back().hard = j < hard;
  }
  return Space(p);
}

/// ln det of XᵀV⁻¹X with V written out, and of the block contrasts too if there are any.
double log_det(const MatrixXd& x, const Eigen::VectorXi& group, double ratio) {
  MatrixXd v = MatrixXd::Identity(x.rows(), x.rows());
  for (int i = 0; i < x.rows(); ++i)
    for (int j = 0; j < x.rows(); ++j) v(i, j) += group[i] == group[j] ? ratio : 0.0;
  return std::log((x.transpose() * v.inverse() * x).determinant());
}
MatrixXd with_blocks(const MatrixXd& x, const Eigen::VectorXi& blocks) {
  const MatrixXd b = BlockColumns(blocks).columns();
  MatrixXd out(x.rows(), x.cols() + b.cols());
  out << x, b;
  return out;
}
/// Every way to choose `n` of the candidates' rows, with repetition and in order of the list.
void each_multiset(int candidates, int n, const std::function<void(const std::vector<int>&)>& visit) {
  std::vector<int> chosen(std::size_t(n), 0);
  const std::function<void(int, int)> next = [&](int k, int from) {
    if (k == n) return visit(chosen);
    for (int c = from; c < candidates; ++c) {
      chosen[std::size_t(k)] = c;
      next(k + 1, c);
    }
  };
  next(0, 0);
}
int repeats_of(const MatrixXd& points, const Eigen::VectorXi& blocks) {
  std::set<std::vector<double>> distinct;
  for (int i = 0; i < points.rows(); ++i) {
    std::vector<double> key = {double(blocks[i])};
    for (int j = 0; j < points.cols(); ++j) key.push_back(points(i, j));
    distinct.insert(key);
  }
  return int(points.rows()) - int(distinct.size());
}

}  // namespace

TEST_CASE("two blocks of a 2³ confound the product of all three: every coefficient at its bound") {
  const Space space = levels_of(3, {-1, 1});
  OptimalOptions o;
  o.terms = parse_terms(space, "products");
  o.runs = 8;
  o.blocks = 2;
  const Plan plan = optimal(space, o, 1);
  // Hadamard's bound: X'X = 8·1 of the seven terms and the block, reached by the textbook's blocks I = ±abc.
  const MatrixXd x = with_blocks(model_matrix(space, o.terms, plan.points), plan.blocks);
  CHECK(std::log((x.transpose() * x).determinant()) == doctest::Approx(8 * std::log(8.0)));
  for (int i = 0; i < 8; ++i)
    CHECK(plan.points.row(i).prod() * plan.points.row(0).prod() ==
          (plan.blocks[i] == plan.blocks[0] ? 1 : -1));
  CHECK(assess(space, plan.points, plan.blocks, o.terms).block_correlation < 1e-12);
  CHECK((plan.blocks.array() == 0).count() == 4);
  CHECK(std::is_sorted(plan.blocks.begin(), plan.blocks.end()));
}

TEST_CASE("blocks of a quadratic are the best of all: brute force, D, A and I, even and uneven blocks") {
  const Space space = levels_of(1, {-1, 0, 1});
  const Terms terms = parse_terms(space, "quadratic");
  for (const int runs : {5, 6, 7})
    for (const C criterion : {C::D, C::A, C::I}) {
      OptimalOptions o;
      o.terms = terms;
      o.runs = runs;
      o.blocks = 2;
      o.criterion = criterion;
      MatrixXd weight = MatrixXd::Zero(4, 4);
      weight.topLeftCorner(3, 3) =
          criterion == C::A ? MatrixXd(MatrixXd::Identity(3, 3)) : region_moments(space, terms);
      const auto value = [&](const MatrixXd& points, const Eigen::VectorXi& blocks) {
        const MatrixXd x = with_blocks(model_matrix(space, terms, points), blocks), m = x.transpose() * x;
        if (!(m.determinant() > 1e-9)) return -1e300;
        return criterion == C::D ? std::log(m.determinant()) : -(m.inverse() * weight).trace();
      };
      double best = -1e300;
      Eigen::VectorXi blocks(runs);
      for (int i = 0; i < runs; ++i) blocks[i] = i < runs / 2 ? 0 : 1;
      for (int code = 0, all = int(std::pow(3, runs)); code < all; ++code) {
        MatrixXd points(runs, 1);
        for (int i = 0, rest = code; i < runs; ++i, rest /= 3) points(i, 0) = rest % 3 - 1;
        best = std::max(best, value(points, blocks));
      }
      const Plan plan = optimal(space, o, 3);
      INFO(runs, " runs, criterion ", std::string(name(criterion)));
      CHECK(std::min((plan.blocks.array() == 0).count(), (plan.blocks.array() == 1).count()) == runs / 2);
      // Which block is the larger one does not matter.
      CHECK(value(plan.points, plan.blocks) == doctest::Approx(best).epsilon(1e-9));
    }
}

TEST_CASE("runs that exist are a block of their own") {
  const Space space = levels_of(2, {-1, 1});
  OptimalOptions o;
  o.terms = parse_terms(space, "linear");
  o.existing = MatrixXd{{-1, -1}, {1, -1}, {-1, 1}};
  o.runs = 4;
  o.blocks = 2;
  const Plan plan = optimal(space, o, 1);
  CHECK(plan.blocks.minCoeff() == 1);
  CHECK(plan.blocks.maxCoeff() == 2);
}

TEST_CASE("whole plots: a 2³ with one hard parameter reaches what V allows") {
  const Space space = levels_of(3, {-1, 1}, 1);
  OptimalOptions o;
  o.terms = parse_terms(space, "products");
  o.runs = 16;
  o.whole_plots = 4;
  for (const double ratio : {0.1, 1.0, 10.0}) {
    o.variance_ratio = ratio;
    const Plan plan = optimal(space, o, 1);
    // Between plots xᵀV⁻¹x is 16/(1 + 4η) at most, within them 16, reached by columns that add up to 0 in
    // each.
    const double bound = 2 * std::log(16 / (1 + 4 * ratio)) + 5 * std::log(16.0);
    CHECK(log_det(model_matrix(space, o.terms, plan.points), plan.blocks, ratio) ==
          doctest::Approx(bound).epsilon(1e-9));
    for (int i = 0; i < 16; ++i)
      for (int j = 0; j < 16; ++j)
        if (plan.blocks[i] == plan.blocks[j]) CHECK(plan.points(i, 0) == plan.points(j, 0));
    const Assessment a = assess(space, plan.points, plan.blocks, o.terms, ratio);
    CHECK(a.whole_plots == 4);
    CHECK(a.freedom[1] == 2);  // 4 plots less the constant and x1
    CHECK(a.freedom[2] == 7);  // 12 within plots less five terms
    CHECK(a.information.std_error[1] == doctest::Approx(std::sqrt((1 + 4 * ratio) / 16)));
    CHECK(a.information.std_error[2] == doctest::Approx(std::sqrt(1.0 / 16)));
  }
}

TEST_CASE("whole plots of a quadratic: brute force over every plan") {
  const Space space = levels_of(2, {-1, 0, 1}, 1);
  const Terms terms = parse_terms(space, "quadratic");
  OptimalOptions o;
  o.terms = terms;
  o.runs = 8;
  o.whole_plots = 4;
  const Plan plan = optimal(space, o, 1);
  // A plot of two is a hard value and an unordered pair: 18 of them, four in any order.
  std::vector<std::array<double, 3>> plots;
  for (int w = -1; w <= 1; ++w)
    for (int a = -1; a <= 1; ++a)
      for (int b = a; b <= 1; ++b) plots.push_back({double(w), double(a), double(b)});
  Eigen::VectorXi group(8);
  group << 0, 0, 1, 1, 2, 2, 3, 3;
  double best = -1e300;
  each_multiset(int(plots.size()), 4, [&](const std::vector<int>& chosen) {
    MatrixXd points(8, 2);
    for (int b = 0; b < 4; ++b) {
      const auto& [w, first, second] = plots[std::size_t(chosen[std::size_t(b)])];
      points.row(2 * b) << w, first;
      points.row(2 * b + 1) << w, second;
    }
    const double value = log_det(model_matrix(space, terms, points), group, 1);
    if (std::isfinite(value)) best = std::max(best, value);
  });
  CHECK(log_det(model_matrix(space, terms, plan.points), plan.blocks, 1) ==
        doctest::Approx(best).epsilon(1e-9));
}

TEST_CASE("whole plots obey limits, and any number of threads gives the same") {
  std::vector<Parameter> p = cube(3, -1, 1).parameters();
  p[1].hard = true;
  const Space space(p, {{"x1 + x2 <= 0.5", [](const double* x) { return 0.5 - x[0] - x[1]; }}});
  OptimalOptions o;
  o.terms = parse_terms(space, "quadratic");
  o.runs = 18;
  o.whole_plots = 6;
  o.criterion = C::I;
  o.restarts = 3;
  const Plan plan = optimal(space, o, 2);
  for (int i = 0; i < plan.size(); ++i) {
    CHECK(space.allows(plan.points.row(i).transpose()));
    for (int j = 0; j < i; ++j)
      if (plan.blocks[i] == plan.blocks[j]) CHECK(plan.points(i, 1) == plan.points(j, 1));
  }
  CHECK(plan.blocks.maxCoeff() == 5);
  CHECK(optimal(space, o, 2).points == plan.points);
}

TEST_CASE("a plan for several models is the best of all for their mean: brute force") {
  const Space space = levels_of(1, {-1, 0, 1});
  OptimalOptions o;
  o.terms = parse_terms(space, "quadratic");
  o.or_else = {parse_terms(space, "linear")};
  for (const int runs : {4, 7, 10})
    for (const C criterion : {C::D, C::A}) {
      o.runs = runs;
      o.criterion = criterion;
      const auto value = [&](const MatrixXd& points) {
        double sum = 0;
        for (const Terms& terms : {o.terms, o.or_else[0]}) {
          const MatrixXd x = model_matrix(space, terms, points), m = x.transpose() * x;
          if (!(m.determinant() > 1e-9)) return -1e300;
          sum += criterion == C::D ? std::log(m.determinant()) / double(terms.size())
                                   : -std::log(m.inverse().trace());
        }
        return sum / 2;
      };
      double best = -1e300;
      each_multiset(3, runs, [&](const std::vector<int>& chosen) {
        MatrixXd points(runs, 1);
        for (int i = 0; i < runs; ++i) points(i, 0) = chosen[std::size_t(i)] - 1;
        best = std::max(best, value(points));
      });
      CHECK(value(optimal(space, o, 1).points) == doctest::Approx(best).epsilon(1e-9));
    }
}

TEST_CASE("a plan for a plane or a quadratic costs the plane little and saves the quadratic") {
  const Space space = cube(3, -1, 1);
  PlanRequest request;
  request.model = "linear; quadratic";
  request.runs = 14;
  const Plan both = plan_method("optimal").make(space, request, 1);
  request.model = "linear";
  const Plan plane = plan_method("optimal").make(space, request, 1);
  const auto efficiency = [&](const Plan& plan, const char* model) {
    const MatrixXd x = model_matrix(space, parse_terms(space, model), plan.points);
    return std::pow(std::max(0.0, (x.transpose() * x / 14).determinant()), 1.0 / double(x.cols()));
  };
  CHECK(efficiency(plane, "quadratic") < 1e-3);
  request.model = "quadratic";
  const Plan bent = plan_method("optimal").make(space, request, 1);
  CHECK(efficiency(both, "linear") > efficiency(bent, "linear"));
  CHECK(efficiency(both, "quadratic") > 0.9 * efficiency(bent, "quadratic"));
  CHECK(both.options.at("model").find(';') != std::string::npos);
}

TEST_CASE("runs for pure error: no plan with as many repeats is better, by brute force") {
  const Space space = levels_of(2, {-1, 0, 1});
  OptimalOptions o;
  o.terms = parse_terms(space, "quadratic");
  o.runs = 10;
  MatrixXd grid(9, 2);
  for (int i = 0; i < 9; ++i) grid.row(i) << i % 3 - 1, i / 3 - 1;
  const MatrixXd x = model_matrix(space, o.terms, grid);
  for (const int wanted : {0, 2, 4}) {
    o.pure_error = wanted;
    double best = 0;
    each_multiset(9, 10, [&](const std::vector<int>& chosen) {
      if (10 - int(std::set<int>(chosen.begin(), chosen.end()).size()) < wanted) return;
      const MatrixXd rows = x(chosen, Eigen::all);
      best = std::max(best, (rows.transpose() * rows).determinant());
    });
    const Plan plan = optimal(space, o, 1);
    const MatrixXd rows = model_matrix(space, o.terms, plan.points);
    CHECK(repeats_of(plan.points, plan.blocks) >= wanted);
    CHECK((rows.transpose() * rows).determinant() == doctest::Approx(best).epsilon(1e-9));
  }
  o.runs = 16;
  o.blocks = 3;
  o.pure_error = 5;
  const Plan blocked = optimal(space, o, 1);
  CHECK(blocked.size() == 16);
  CHECK(repeats_of(blocked.points, blocked.blocks) >= 5);
  for (int b = 0; b < 3; ++b) CHECK((blocked.blocks.array() == b).count() >= 5);
}

TEST_CASE("what does not go together is refused in words") {
  const Space easy = levels_of(3, {-1, 1}), hard = levels_of(3, {-1, 1}, 1), all = levels_of(2, {-1, 1}, 2);
  const auto refused = [](const Space& space, const std::function<void(OptimalOptions&)>& change,
                          const std::string& word) {
    OptimalOptions o;
    o.terms = parse_terms(space, "linear");
    o.runs = 8;
    change(o);
    try {
      optimal(space, o, 1);
      FAIL("not refused: ", word);
    } catch (const Error& e) {
      CHECK(std::string(e.what()).find(word) != std::string::npos);
    }
  };
  using O = OptimalOptions;
  refused(
      hard, [](O& o) { o.blocks = 2; }, "whole plots are blocks");
  refused(
      hard, [](O& o) { o.pure_error = 2; }, "repeats");
  refused(
      hard, [](O& o) { o.whole_plots = 1; }, "cannot estimate 2 terms in hard parameters");
  refused(
      hard, [](O& o) { o.whole_plots = 9; }, "more than 8 runs");
  refused(
      easy, [](O& o) { o.whole_plots = 2; }, "no parameter is hard");
  refused(
      all, [](O&) {}, "all parameters are hard");
  refused(
      easy, [](O& o) { o.blocks = 4, o.pure_error = 2; }, "4 terms, 4 blocks and pure error");
  refused(
      easy, [](O& o) { o.or_else = {o.terms}, o.criterion = C::G; }, "one model");
}
