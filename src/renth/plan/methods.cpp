#include <fmt/format.h>

#include <algorithm>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/box_behnken.hpp>
#include <renth/plan/central_composite.hpp>
#include <renth/plan/fractional_factorial.hpp>
#include <renth/plan/full_factorial.hpp>
#include <renth/plan/halton.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/plan/methods.hpp>
#include <renth/plan/optimal.hpp>
#include <renth/plan/orthogonal_array.hpp>
#include <renth/plan/random.hpp>
#include <renth/plan/screening.hpp>
#include <renth/plan/sobol.hpp>
#include <renth/plan/spread.hpp>
#include <renth/plan/trajectories.hpp>
#include <renth/space/hard.hpp>
#include <renth/space/region.hpp>

namespace renth {
namespace {

Plan make_central_composite(const Space& space, const PlanRequest& r, Seed seed) {
  CentralCompositeOptions o;
  if (!r.axial.empty()) parse_axial(r.axial, o);
  o.centre_runs = r.centre;
  o.blocks = r.blocks;
  o.first_block = r.first_block;
  o.random_order = r.random_order;
  if (r.stage == "corners")
    o.stage = CentralCompositeOptions::Stage::corners;
  else if (r.stage == "axial")
    o.stage = CentralCompositeOptions::Stage::axial;
  else if (!r.stage.empty())
    refuse_unknown("stage", r.stage, "`stage`", {"corners", "axial"});
  return central_composite(space, o, seed);
}

const std::vector<std::string> sized = {"runs"};

/// The options of a request that are not left as they are.
std::vector<std::string> given(const PlanRequest& r) {
  const PlanRequest plain;
  std::vector<std::string> out;
  const auto note = [&](bool is_given, const char* option) {
    if (is_given) out.emplace_back(option);
  };
  note(r.runs != plain.runs || r.runs_to != plain.runs_to, "runs");
  note(!r.criterion.empty(), "criterion");
  note(!r.model.empty(), "model");
  note(r.levels != plain.levels, "levels");
  note(r.replicates != plain.replicates, "replicates");
  note(!r.resolution.empty(), "resolution");
  note(!r.generators.empty(), "generators");
  note(!r.axial.empty(), "axial");
  note(r.centre != plain.centre, "centre");
  note(r.blocks != plain.blocks, "blocks");
  note(!r.stage.empty(), "stage");
  note(r.restarts != plain.restarts, "restarts");
  note(r.pure_error != plain.pure_error, "pure-error");
  note(r.whole_plots != plain.whole_plots, "whole-plots");
  note(r.variance_ratio != plain.variance_ratio, "variance-ratio");
  note(r.effort != plain.effort, "effort");
  note(!r.random_order, "order");
  note(r.existing.size() > 0, "include");
  note(r.candidates.size() > 0, "candidates");
  note(r.at.size() > 0, "at");
  return out;
}

/// The method, refusing options that it does not take.
PlanMethod refusing(PlanMethod method) {
  method.make = [name = method.name, takes = method.options, make = method.make](
                    const Space& space, const PlanRequest& request, Seed seed) {
    for (const std::string& option : given(request))
      if (std::find(takes.begin(), takes.end(), option) == takes.end())
        throw Error(fmt::format("{} takes no {}", name, option), "plan " + name,
                    "leave it out; it takes " + listed(takes));
    return make(space, request, seed);
  };
  return method;
}

}  // namespace

const std::vector<PlanMethod>& plan_methods() {
  using R = const PlanRequest&;
  using S = const Space&;
  static const std::vector<PlanMethod> methods = [] {
    std::vector<PlanMethod> all = {
        {"full-factorial",
         "every combination of levels",
         {"levels", "replicates", "order"},
         [](S s, R r, Seed seed) {
           return full_factorial(s, {r.levels, r.replicates, r.random_order}, seed);
         }},
        {"fractional-factorial",
         "a share of the corners, with what is aliased said",
         {"runs", "resolution", "generators", "centre", "replicates", "order"},
         [](S s, R r, Seed seed) {
           return fractional_factorial(
               s,
               {r.resolution.empty() ? 0 : parse_resolution(r.resolution), r.generators, r.runs,
                std::max(0, r.centre), r.replicates, r.random_order},
               seed);
         }},
        {"plackett-burman",
         "main effects of many parameters in few corners",
         {"runs", "centre", "order"},
         [](S s, R r, Seed seed) {
           return plackett_burman(s, {r.runs, std::max(0, r.centre), r.random_order}, seed);
         }},
        {"screening3",
         "many parameters at three levels in about twice as many runs",
         {"centre", "order"},
         [](S s, R r, Seed seed) {
           return screening3(s, {r.centre < 0 ? 1 : r.centre, r.random_order}, seed);
         }},
        {"orthogonal-array",
         "two- and three-level parameters together, balanced in pairs",
         {"runs", "levels", "order"},
         [](S s, R r, Seed seed) {
           return orthogonal_array(s, {r.runs, r.levels, r.random_order}, seed);
         }},
        {"central-composite",
         "corners, axes and centre, for a quadratic; can be run in two stages",
         {"axial", "centre", "blocks", "stage", "order"},
         make_central_composite},
        {"box-behnken",
         "middles of edges and centre, for a quadratic without corners",
         {"centre", "blocks", "order"},
         [](S s, R r, Seed seed) {
           return box_behnken(s, {r.centre, r.blocks, r.random_order}, seed);
         }},
        {"optimal",
         "the runs that estimate given terms best, with any parameters and limits",
         {"runs", "criterion", "model", "blocks", "pure-error", "whole-plots", "variance-ratio", "restarts",
          "include", "candidates", "order"},
         [](S s, R r, Seed seed) { return optimal(s, optimal_options(s, r), seed); }},
        {"latin-hypercube",
         "space filling, every range evenly used; for deterministic solvers",
         {"runs", "criterion", "effort"},
         [](S s, R r, Seed seed) {
           return latin_hypercube(
               s, {r.runs, parse_evenness(r.criterion.empty() ? "maximin" : r.criterion), r.effort}, seed);
         }},
        {"sobol", "a low-discrepancy sequence that can be continued; best in powers of two", sized,
         [](S s, R r, Seed seed) {
           return sobol(s, {r.runs, 0}, seed);
         }},
        {"halton", "the same for any number of runs", sized,
         [](S s, R r, Seed seed) {
           return halton(s, {r.runs, 0}, seed);
         }},
        {"hammersley", "a low-discrepancy set of fixed size", sized,
         [](S s, R r, Seed seed) { return hammersley(s, r.runs, seed); }},
        {"random", "independent points", sized,
         [](S s, R r, Seed seed) { return random_plan(s, r.runs, seed); }},
        {"corners",
         "both ends of everything",
         {"runs", "order"},
         [](S s, R r, Seed seed) { return corners(s, r.runs, seed, r.random_order); }},
        {"spread",
         "even filling inside limits and round runs that exist",
         {"runs", "include"},
         [](S s, R r, Seed seed) {
           return spread(s, {r.runs, r.existing}, seed);
         }},
        {"trajectories", "one parameter at a time along well-spread paths, for elementary effects", sized,
         [](S s, R r, Seed seed) { return trajectories(s, r.runs, seed); }},
        {"scatter",
         "draws of what a setting becomes in production",
         {"runs", "at"},
         [](S s, R r, Seed seed) {
           return scatter_plan(s, r.at.size() > 0 ? r.at : s.nominal(), r.runs, seed);
         }},
    };
    for (PlanMethod& method : all) method = refusing(std::move(method));
    return all;
  }();
  return methods;
}

OptimalOptions optimal_options(const Space& space, const PlanRequest& r) {
  OptimalOptions o;
  o.criterion = parse_criterion(r.criterion.empty() ? "D" : r.criterion);
  const std::vector<Terms> models = parse_models(space, r.model.empty() ? "quadratic" : r.model);
  o.terms = models[0];
  o.or_else.assign(models.begin() + 1, models.end());
  o.runs = r.runs;
  o.restarts = r.restarts;
  o.blocks = r.blocks;
  o.pure_error = r.pure_error;
  o.whole_plots = r.whole_plots;
  o.variance_ratio = r.variance_ratio;
  o.existing = r.existing;
  o.existing_blocks = r.existing_blocks;
  o.candidates = r.candidates;
  o.random_order = r.random_order;
  return o;
}

const PlanMethod& plan_method(std::string_view name) {
  std::vector<std::string> known;
  for (const PlanMethod& m : plan_methods()) {
    if (m.name == name) return m;
    known.push_back(m.name);
  }
  known.push_back("extend");
  refuse_unknown("plan method", name, "plan", known);
}

namespace {

/// For runs that scatter: what tells most of a surface through the scatter.
PlanChoice for_scatter(int k, bool numbers, bool limited, const PlanRequest& request) {
  const bool asked = request.runs > 0;
  PlanRequest filled = request;
  if (numbers && !limited && !asked && k >= 2 && k <= 5) {
    filled.axial = "face";
    return {"central-composite",
            fmt::format("runs scatter, so that runs at the ends of the spans tell most, and a quadratic in "
                        "{} parameters is "
                        "within reach; its centre runs are replicates that measure the scatter, and with "
                        "the axes on the faces "
                        "nothing leaves its span",
                        k),
            filled};
  }
  if (numbers && !limited && !asked && k >= 6 && k <= 50)
    return {"screening3",
            fmt::format("runs scatter and {} parameters are many: first find out in {} runs which matter", k,
                        2 * (k + k % 2) + 1),
            request};
  filled.criterion = "I";
  filled.model = k <= 8 ? "quadratic" : "linear";
  return {"optimal",
          fmt::format("runs scatter, and {} rule out the textbook plans: these runs predict a {} surface "
                      "best on average",
                      limited ? "limits"
                      : asked ? "a given number of runs"
                              : "choices or two-valued parameters",
                      filled.model),
          filled};
}

}  // namespace

PlanChoice choose_plan(const Space& space, bool noisy, Eigen::Index existing, const PlanRequest& request,
                       Seed seed) {
  double combinations = 1;
  bool all_discrete = true, numbers = true;
  for (const Parameter& p : space.parameters()) {
    all_discrete = all_discrete && !p.is_between();
    numbers = numbers && !p.is_choice() && !(p.is_discrete() && p.settable_count() < 3);
    combinations *= p.is_between() ? 3 : p.settable_count();
  }
  const int budget = request.runs > 0 ? request.runs : suggested_runs(space), k = int(space.size());
  const bool limited = !space.limits().empty(), asked = request.runs > 0;
  if (all_discrete && combinations <= budget && !asked)
    return {"full-factorial",
            fmt::format("every parameter has only a few values, and all {:.0f} combinations cost no more "
                        "than the {} runs suggested",
                        combinations, budget),
            request};
  if (!hard_parameters(space).empty() && (noisy || existing == 0)) {
    PlanRequest filled = request;
    filled.criterion = "I";
    filled.model = k <= 8 ? "quadratic" : "linear";
    return {
        "optimal",
        fmt::format("some parameters are hard to set anew: these runs keep them for whole plots and predict "
                    "a {} surface best on average",
                    filled.model),
        filled};
  }
  if (noisy && existing == 0) return for_scatter(k, numbers, limited, request);
  if (existing > 0)
    return {"spread", fmt::format("{} runs exist: new ones are worth most where there are none", existing),
            request};
  if (limited) {
    const double share = feasible_share(space, seed);
    if (share < 0.4)
      return {
          "spread",
          fmt::format(
              "the limits leave {:.1f} % of the box, too little for even strata in each parameter: runs are "
              "spread evenly inside it",
              100 * share),
          request};
  }
  return {"latin-hypercube",
          "a deterministic solver is best sampled evenly in all parameters at once; a Latin hypercube does "
          "that for any number of runs and obeys limits, steps, levels and choices",
          request};
}

}  // namespace renth
