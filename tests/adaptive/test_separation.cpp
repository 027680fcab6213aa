#include <doctest/doctest.h>

#include <renth/adaptive/separation.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/random.hpp>
#include <renth/space/region.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {

template <class F>
std::optional<SeparatingRule> rule_for(const Space& space, int n, const F& fails, Seed seed = 1) {
  const Eigen::MatrixXd points = sample_region(space, n, Values::settable, seed, "separation");
  std::vector<bool> failed;
  for (Eigen::Index i = 0; i < n; ++i) failed.push_back(fails(points.row(i)));
  return separating_rule(space, points, failed, 7);
}

const Space space4({continuous("a", 0, 10), continuous("b", -1, 1), continuous("c", 0, 1),
                    choice("hull", {"steel", "wood", "tin"})});

}  // namespace

TEST_CASE("one cut is found at its place and written with few digits") {
  const auto rule = rule_for(space4, 300, [](const auto& x) { return x[0] > 7.3; });
  REQUIRE(rule);
  REQUIRE(rule->cuts.size() == 1);
  CHECK(rule->cuts[0].parameter == 0);
  CHECK(rule->cuts[0].value == doctest::Approx(7.3).epsilon(0.02));
  CHECK(rule->failed_inside == rule->failed);
  CHECK(rule->done_inside == 0);
  CHECK(rule->separation() > 0.9);
  CHECK(rule_text(space4, *rule).size() <= 8);  // "a > 7.3"
  CHECK(rule_text(space4, *rule).rfind("a > ", 0) == 0);
  CHECK(limit_text(space4, *rule).rfind("a <= ", 0) == 0);
}

TEST_CASE("two cuts joined by and, by or, on one parameter, and on a choice") {
  const auto both = rule_for(space4, 400, [](const auto& x) { return x[0] > 6 && x[1] < 0.2; });
  REQUIRE(both);
  CHECK(both->cuts.size() == 2);
  CHECK_FALSE(both->any);
  CHECK(both->separation() > 0.85);
  CHECK(std::minmax(both->pair.first, both->pair.second) == std::minmax(Eigen::Index(0), Eigen::Index(1)));

  const auto either = rule_for(space4, 400, [](const auto& x) { return x[0] > 8 || x[2] < 0.15; });
  REQUIRE(either);
  CHECK(either->any);
  CHECK(either->separation() > 0.85);
  CHECK(limit_text(space4, *either).find(" && ") != std::string::npos);

  const auto band = rule_for(space4, 400, [](const auto& x) { return x[1] > -0.3 && x[1] < 0.4; });
  REQUIRE(band);
  CHECK(band->cuts[0].parameter == 1);
  CHECK(band->cuts[1].parameter == 1);
  CHECK(band->pair.first != band->pair.second);  // a picture needs two
  CHECK(band->separation() > 0.85);

  const auto tin = rule_for(space4, 400, [](const auto& x) { return x[3] == 2 && x[0] > 3; });
  REQUIRE(tin);
  CHECK(rule_text(space4, *tin).find("hull == 'tin'") != std::string::npos);
  CHECK(tin->separation() > 0.85);
}

TEST_CASE("no pair of cuts is better than the one found, by brute force") {
  const Space numbers({continuous("a", 0, 1), continuous("b", 0, 1)}),
      few({levels("a", {0, 0.2, 0.4, 0.7, 1}), levels("b", {0, 0.25, 0.5, 1})});
  for (const Seed seed : {1, 2, 3, 4, 5, 6}) {
    const Space& small = seed > 3 ? few : numbers;
    Stream noise(seed, "labels");
    const Eigen::MatrixXd points = sample_region(small, 60, Values::settable, seed, "separation");
    std::vector<bool> failed;
    for (Eigen::Index i = 0; i < 60; ++i)
      failed.push_back((points(i, 0) > 0.5 && points(i, 1) > 0.4) != (noise.uniform() < 0.15));
    const auto rule = separating_rule(small, points, failed, 1);
    REQUIRE(rule);
    const auto score = [&](const SeparatingRule& r) {
      double hit = 0, wrong = 0, n = 0;
      for (Eigen::Index i = 0; i < 60; ++i) {
        n += failed[i];
        if (r.holds(points.row(i).transpose())) ++(failed[i] ? hit : wrong);
      }
      return hit / n - wrong / (60 - n);
    };
    double best = -1;
    for (int i = 0; i < 60; ++i)
      for (int j = 0; j < 60; ++j)
        for (int sides = 0; sides < 4; ++sides)
          for (const bool any : {false, true}) {
            SeparatingRule r;
            r.any = any;
            r.cuts = {{sides & 1 ? Cut::Side::above : Cut::Side::below, 0, points(i, 0) - 1e-9},
                      {sides & 2 ? Cut::Side::above : Cut::Side::below, 1, points(j, 1) - 1e-9}};
            best = std::max(best, score(r));
          }
    if (rule->cuts.size() == 2) CHECK(score(*rule) >= best - 0.02);
    CHECK(rule->separation() <= score(*rule) + 0.1);
  }
}

TEST_CASE("failures at random give a rule that owns up to being worthless, and too few give none") {
  Stream coin(3, "coin");
  const auto rule = rule_for(space4, 300, [&](const auto&) { return coin.uniform() < 0.1; });
  REQUIRE(rule);
  CHECK(rule->separation() < 0.3);
  CHECK_FALSE(rule_for(space4, 50, [](const auto&) { return true; }));
  int left = 2;
  CHECK_FALSE(rule_for(space4, 50, [&](const auto&) { return left-- > 0; }));
  CHECK_FALSE(separating_rule(space4, Eigen::MatrixXd::Ones(8, 4),
                              {true, true, true, true, false, false, false, false}, 1));
}

TEST_CASE("many runs of twenty parameters give the same answer every time, on one thread and on two") {
  std::vector<Parameter> many;
  for (int j = 0; j < 20; ++j) many.push_back(continuous("p" + std::to_string(j), 0, 1));
  const Space space(many);
  const auto fails = [](const auto& x) { return x[4] > 0.7 && x[11] < 0.4; };
  const auto rule = rule_for(space, 1500, fails);
  REQUIRE(rule);
  CHECK(rule->separation() > 0.95);
  const ParallelLimit one(1);
  const auto again = rule_for(space, 1500, fails);
  CHECK(rule_text(space, *rule) == rule_text(space, *again));
  CHECK(rule->separation() == again->separation());
}
