#include <fmt/format.h>

#include <renth/base/error.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/coded_plan.hpp>
#include <renth/plan/galois.hpp>
#include <renth/plan/screening.hpp>

namespace renth {

Plan plackett_burman(const Space& space, const PlackettBurmanOptions& o, Seed seed) {
  const std::string where = "plackett-burman";
  need_levels(space, 2, false, where, "use orthogonal-array or optimal, or fix the parameter");
  if (o.centre_runs > 0) need_levels(space, 3, false, "a centre run", "leave `centre` out");
  const int k = int(space.size()), runs = o.runs > 0 ? o.runs : std::max(4, (k + 4) / 4 * 4);
  if (runs % 4 != 0 || runs > 48 || runs <= k)
    throw Error(fmt::format("there is no such plan of {} parameters in {} runs", k, runs), "plan " + where,
                k > 47 ? "use at most 47 parameters"
                       : fmt::format("use `runs` with a multiple of 4 from {} to 48", (k + 4) / 4 * 4));
  CodedRuns coded;
  coded.coded = hadamard(runs).middleCols(1, k);
  coded.origins.assign(std::size_t(runs), "corner");
  if (o.centre_runs > 0) add_centre(coded, o.centre_runs, 0);
  Plan plan = from_coded(space, coded, where, o.random_order, seed);
  plan.options["runs"] = std::to_string(runs);
  plan.options["centre"] = std::to_string(o.centre_runs);
  plan.notes.push_back(
      "main effects only: each product of two parameters is mixed into the main effects of others; "
      "assess "
      "lists how strongly");
  return plan;
}

Plan screening3(const Space& space, const Screening3Options& o, Seed seed) {
  const std::string where = "screening3";
  const int k = int(space.size());
  if (k < 3 || k > 50)
    throw Error(fmt::format("screening3 needs 3 to 50 varying parameters, this study has {}", k),
                "plan " + where,
                k < 3 ? "use full-factorial `levels=3`" : "use plackett-burman or optimal `model=linear`");
  need_levels(space, 3, false, where, "use optimal `model=quadratic`, which takes any parameters");
  if (o.centre_runs < 1)
    throw Error("without a centre run the squares cannot be told from the mean", "plan " + where,
                "use `centre=1`");
  int m = std::max(4, k + k % 2);
  while (conference(m).size() == 0) m += 2;
  const Eigen::MatrixXd c = conference(m).leftCols(k);
  CodedRuns coded;
  coded.coded.resize(2 * m, k);
  for (int i = 0; i < m; ++i) {
    coded.coded.row(2 * i) = c.row(i);
    coded.coded.row(2 * i + 1) = -c.row(i);
  }
  coded.origins.assign(std::size_t(2 * m), "edge");
  add_centre(coded, o.centre_runs, 0);
  Plan plan = from_coded(space, coded, where, o.random_order, seed);
  plan.options["runs"] = std::to_string(plan.size());
  plan.options["centre"] = std::to_string(o.centre_runs);
  plan.notes.push_back(
      fmt::format("{} runs are too few for a full quadratic: main effects are clear of everything of second "
                  "order, squares and "
                  "products are partly mixed with one another; a few active ones can be told",
                  plan.size()));
  return plan;
}

}  // namespace renth
