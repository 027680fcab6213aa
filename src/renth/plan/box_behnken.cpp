#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <renth/base/error.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/box_behnken.hpp>
#include <renth/plan/coded_plan.hpp>

namespace renth {
namespace {

/// Sets of parameters that vary together. Sets come in `classes` equal parts in which every parameter is
/// equally often, one after the other; `halves`: each set in a half factorial.
struct Sets {
  int classes = 1;
  bool halves = false;
  std::vector<std::vector<int>> sets;
};

const Sets& sets_of(int k) {
  static const Sets three = {1, false, {{1, 2}, {1, 3}, {2, 3}}};
  static const Sets four = {3, false, {{1, 2}, {3, 4}, {1, 4}, {2, 3}, {1, 3}, {2, 4}}};
  static const Sets five = {
      2, false, {{1, 2}, {2, 3}, {3, 4}, {4, 5}, {1, 5}, {1, 3}, {3, 5}, {2, 5}, {2, 4}, {1, 4}}};
  static const Sets six = {1, false, {{1, 2, 4}, {2, 3, 5}, {3, 4, 6}, {1, 4, 5}, {2, 5, 6}, {1, 3, 6}}};
  static const Sets seven = {
      1, false, {{4, 5, 6}, {1, 6, 7}, {2, 5, 7}, {1, 2, 4}, {3, 4, 7}, {1, 3, 5}, {2, 3, 6}}};
  static const Sets eight = {7,
                             true,
                             {{1, 2, 3, 4},
                              {5, 6, 7, 8},
                              {1, 2, 5, 6},
                              {3, 4, 7, 8},
                              {1, 2, 7, 8},
                              {3, 4, 5, 6},
                              {1, 3, 5, 7},
                              {2, 4, 6, 8},
                              {1, 3, 6, 8},
                              {2, 4, 5, 7},
                              {1, 4, 5, 8},
                              {2, 3, 6, 7},
                              {1, 4, 6, 7},
                              {2, 3, 5, 8}}};
  static const Sets nine = {5,
                            false,
                            {{1, 4, 7},
                             {2, 5, 8},
                             {3, 6, 9},
                             {1, 2, 3},
                             {4, 5, 6},
                             {7, 8, 9},
                             {1, 5, 9},
                             {3, 4, 8},
                             {2, 6, 7},
                             {1, 6, 8},
                             {2, 4, 9},
                             {3, 5, 7},
                             {1, 4, 7},
                             {2, 5, 8},
                             {3, 6, 9}}};
  static const Sets ten = {1,
                           false,
                           {{2, 6, 7, 10},
                            {1, 2, 5, 10},
                            {2, 3, 7, 8},
                            {2, 4, 6, 9},
                            {1, 8, 9, 10},
                            {3, 4, 5, 10},
                            {1, 4, 7, 8},
                            {3, 5, 7, 9},
                            {1, 3, 6, 9},
                            {4, 5, 6, 8}}};
  static const Sets* all[] = {&three, &four, &five, &six, &seven, &eight, &nine, &ten};
  return *all[k - 3];
}

/// Blocks come from whole classes, from the sign of the product of the parameters that vary (three or more,
/// so that no term of second order is confounded), or from both.
std::vector<int> possible_blocks(const Sets& s) {
  std::vector<int> out;
  const bool by_sign = s.sets[0].size() >= 3 && !s.halves;
  for (int b = 1; b <= s.classes; ++b)
    if (s.classes % b == 0) {
      out.push_back(b);
      if (by_sign) out.push_back(2 * b);
    }
  std::sort(out.begin(), out.end());
  return out;
}

}  // namespace

Plan box_behnken(const Space& space, const BoxBehnkenOptions& o, Seed seed) {
  const int k = int(space.size());
  const std::string where = "plan box-behnken";
  if (k < 3 || k > 10)
    throw Error(fmt::format("box-behnken needs 3 to 10 varying parameters, this study has {}", k), where,
                k < 3 ? "use central-composite, or vary one more"
                      : "use screening3 first, or optimal `model=quadratic`");
  need_levels(space, 3, false, "box-behnken", "use optimal `model=quadratic`, which takes any parameters");
  if (o.centre_runs < -1) throw Error("the number of centre runs is negative", "`centre`", "use 3 to 5");
  const Sets& s = sets_of(k);
  const std::vector<int> possible = possible_blocks(s);
  if (std::find(possible.begin(), possible.end(), o.blocks) == possible.end())
    throw Error(fmt::format("{} parameters cannot be run in {} orthogonal blocks", k, o.blocks),
                where + " `blocks`", fmt::format("use {}", fmt::join(possible, ", ")));
  const bool by_sign = s.classes % o.blocks != 0;
  const int parts = by_sign ? o.blocks / 2 : o.blocks;
  const int asked = o.centre_runs >= 0 ? o.centre_runs : k <= 4 ? 3 : 5;
  const int each = (asked + o.blocks - 1) / o.blocks;

  CodedRuns runs;
  std::vector<Eigen::RowVectorXd> rows;
  std::vector<int> blocks;
  for (std::size_t set = 0; set < s.sets.size(); ++set) {
    const std::vector<int>& vary = s.sets[set];
    const int part = int(set) * parts / int(s.sets.size());
    for (unsigned corner = 0; corner < 1U << vary.size(); ++corner) {
      const bool even = std::popcount(corner) % 2 == int(vary.size()) % 2;  // the product of the signs is +1
      if (s.halves && !even) continue;
      Eigen::RowVectorXd row = Eigen::RowVectorXd::Zero(k);
      for (std::size_t v = 0; v < vary.size(); ++v) row[vary[v] - 1] = corner >> v & 1U ? 1 : -1;
      rows.push_back(row);
      blocks.push_back(by_sign ? 2 * part + (even ? 0 : 1) : part);
    }
  }
  runs.coded.resize(Eigen::Index(rows.size()), k);
  runs.blocks = Eigen::VectorXi::Map(blocks.data(), Eigen::Index(blocks.size()));
  for (std::size_t i = 0; i < rows.size(); ++i) runs.coded.row(Eigen::Index(i)) = rows[i];
  runs.origins.assign(rows.size(), "edge");
  if (each > 0)
    for (int b = 0; b < o.blocks; ++b) add_centre(runs, each, b);
  Plan plan = from_coded(space, runs, "box-behnken", o.random_order, seed);
  plan.options["centre"] = std::to_string(each * o.blocks);
  plan.options["blocks"] = std::to_string(o.blocks);
  plan.options["runs"] = std::to_string(plan.size());
  if (each * o.blocks != asked)
    plan.notes.push_back(
        fmt::format("{} centre runs instead of {}, so that each block has {}", each * o.blocks, asked, each));
  return plan;
}

}  // namespace renth
