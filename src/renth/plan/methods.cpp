#include <fmt/format.h>

#include <renth/error.hpp>
#include <renth/plan/full_factorial.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/plan/methods.hpp>
#include <renth/plan/random.hpp>
#include <renth/plan/sobol.hpp>

namespace renth {
namespace {

Plan make_latin_hypercube(const Space& space, const PlanRequest& request, Seed seed) {
  LatinHypercubeOptions options;
  options.runs = request.runs;
  if (request.criterion == "none")
    options.criterion = LatinHypercubeOptions::Criterion::none;
  else if (!request.criterion.empty() && request.criterion != "maximin")
    throw Error("no criterion is called \"" + request.criterion + "\"", "plan latin-hypercube --criterion",
                "use maximin or none");
  return latin_hypercube(space, options, seed);
}

}  // namespace

const std::vector<PlanMethod>& plan_methods() {
  static const std::vector<PlanMethod> methods = {
      {"latin-hypercube", "space filling, every range evenly used; for deterministic solvers",
       make_latin_hypercube},
      {"sobol", "a low-discrepancy sequence that can be continued",
       [](const Space& space, const PlanRequest& r, Seed seed) {
         return sobol(space, {r.runs, 0}, seed);
       }},
      {"full-factorial", "every combination of levels",
       [](const Space& space, const PlanRequest& r, Seed seed) {
         return full_factorial(space, {r.levels, r.replicates, r.random_order}, seed);
       }},
      {"random", "independent points; for a batch to check against",
       [](const Space& space, const PlanRequest& r, Seed seed) { return random_plan(space, r.runs, seed); }},
  };
  return methods;
}

const PlanMethod& plan_method(std::string_view name) {
  std::string known;
  for (const PlanMethod& m : plan_methods()) {
    if (m.name == name) return m;
    known += (known.empty() ? "" : ", ") + m.name;
  }
  throw Error(fmt::format("no plan method is called \"{}\"", name), "plan",
              "use one of " + known + ", or none to have one chosen");
}

PlanChoice choose_plan(const Space& space, bool noisy, const PlanRequest& request) {
  double combinations = 1;
  bool all_discrete = true;
  for (const Parameter& p : space.parameters()) {
    all_discrete = all_discrete && !p.is_between();
    combinations *= p.is_between() ? 3 : p.settable_count();
  }
  const int budget = request.runs > 0 ? request.runs : suggested_runs(space);
  if (all_discrete && combinations <= budget)
    return {"full-factorial",
            fmt::format("every parameter has only a few values, and all {:.0f} combinations cost no more "
                        "than the {} runs suggested",
                        combinations, budget),
            request};
  PlanRequest three = request;
  three.levels = 3;
  if (noisy && request.levels == 0 && combinations <= 2.0 * budget)
    return {"full-factorial",
            fmt::format("measured runs scatter: three levels in every span make {:.0f} runs, which average "
                        "the scatter and carry a quadratic",
                        combinations),
            three};
  return {"latin-hypercube",
          "a deterministic solver is best sampled evenly in all parameters at once; a Latin hypercube does "
          "that for any number of runs and obeys limits, steps, levels and choices",
          request};
}

}  // namespace renth
