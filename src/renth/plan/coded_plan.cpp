#include <fmt/format.h>

#include <cmath>
#include <renth/base/error.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/coded_plan.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

double natural_value(const Space& space, Index j, double coded, const std::string& method) {
  const Parameter& p = space[j];
  if (p.is_choice()) {
    const int last = int(p.choices.size()) - 1;
    return std::round(0.5 * (coded + 1) * last);
  }
  const double wanted = space.natural(j, coded);
  if (std::abs(coded) <= 1) return p.snap(wanted);
  if (!p.is_discrete()) return wanted;
  if (p.step > 0) return p.low + std::round((wanted - p.low) / p.step) * p.step;
  throw Error(fmt::format("an axial run needs {} = {:.6g}, which cannot be set", p.name, wanted),
              "plan " + method, "use `axial=face` or `axial=inscribed`");
}

}  // namespace

void add_centre(CodedRuns& runs, int count, int block) {
  const Index n = runs.coded.rows();
  if (runs.blocks.size() == 0) runs.blocks = Eigen::VectorXi::Zero(n);
  runs.coded.conservativeResize(n + count, Eigen::NoChange);
  runs.coded.bottomRows(count).setZero();
  runs.blocks.conservativeResize(n + count);
  runs.blocks.tail(count).setConstant(block);
  runs.origins.insert(runs.origins.end(), std::size_t(count), "centre");
}

void need_levels(const Space& space, int levels, bool choices_of_three, const std::string& where,
                 const std::string& remedy) {
  for (const Parameter& p : space.parameters()) {
    const int count = p.settable_count();
    if (p.is_choice() && (levels > 2 || count > 2) && !(choices_of_three && count == 3))
      throw Error(fmt::format("{} needs numbers, and {} is a choice of {}", where, p.name, count),
                  "plan " + where, remedy);
    if (p.is_discrete() && count < levels)
      throw Error(
          fmt::format("{} needs {} values of every parameter, and {} has {}", where, levels, p.name, count),
          "plan " + where, remedy);
  }
}

Plan from_coded(const Space& space, const CodedRuns& runs, const std::string& method, bool random_order,
                Seed seed) {
  const Index n = runs.coded.rows();
  const Eigen::VectorXi blocks = runs.blocks.size() > 0 ? runs.blocks : Eigen::VectorXi::Zero(n);
  Eigen::MatrixXd points(n, space.size());
  std::string rounded;
  for (Index j = 0; j < space.size(); ++j) {
    bool off = false;
    for (Index i = 0; i < n; ++i) {
      points(i, j) = natural_value(space, j, runs.coded(i, j), method);
      off =
          off || (!space[j].is_choice() && std::abs(space.coded(j, points(i, j)) - runs.coded(i, j)) > 1e-9);
    }
    if (off) rounded += (rounded.empty() ? "" : ", ") + space[j].name;
  }
  int forbidden = 0;
  Index first = -1;
  for (Index i = 0; i < n; ++i)
    if (!space.allows(points.row(i).transpose())) {
      ++forbidden;
      if (first < 0) first = i;
    }
  if (forbidden > 0)
    throw Error(fmt::format("the limits forbid {} of {} runs, such as {} at {}", forbidden, n,
                            runs.origins[std::size_t(first)], describe(space, points.row(first).transpose())),
                "plan " + method, "use optimal, which places runs inside the limits, or narrow the spans");
  std::vector<int> order;
  const int last = n > 0 ? blocks.maxCoeff() : 0;
  for (int b = 0; b <= last; ++b) {
    std::vector<int> of_block;
    for (Index i = 0; i < n; ++i)
      if (blocks[i] == b) of_block.push_back(int(i));
    const std::vector<int> shuffled =
        Stream(seed, "run order", std::uint64_t(b)).permutation(int(of_block.size()));
    for (std::size_t k = 0; k < of_block.size(); ++k)
      order.push_back(of_block[random_order ? std::size_t(shuffled[k]) : k]);
  }
  Plan plan = make_plan(points(order, Eigen::all), "", method, seed);
  for (std::size_t k = 0; k < order.size(); ++k) {
    plan.origins[k] = runs.origins[std::size_t(order[k])];
    plan.blocks[Index(k)] = blocks[order[k]];
  }
  plan.next = std::uint64_t(n);
  plan.options["order"] = random_order ? "random" : "standard";
  if (!rounded.empty())
    plan.notes.push_back("values of " + rounded +
                         " are rounded to what can be set, so that the plan is not exactly the textbook's: "
                         "assess shows what that costs");
  return plan;
}

}  // namespace renth
