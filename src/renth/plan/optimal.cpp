#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/information.hpp>
#include <renth/plan/optimal.hpp>
#include <renth/plan/optimal_search.hpp>
#include <renth/plan/settled.hpp>
#include <renth/space/hard.hpp>
#include <renth/space/region.hpp>
#include <renth/terms/block_columns.hpp>
#include <renth/terms/confounding.hpp>
#include <renth/terms/moments.hpp>
#include <renth/terms/whole_plots.hpp>
#include <set>

namespace renth {
namespace {

using Index = Eigen::Index;

void check_estimable(const Space& space, const Terms& terms, const OptimalOptions& o,
                     const Eigen::MatrixXd& pool, Seed seed) {
  Eigen::MatrixXd probe =
      o.candidates.rows() > 0 ? o.candidates
      : pool.rows() > 0       ? pool
                        : sample_region(space, 40 + 4 * Index(terms.size()), Values::settable, seed, "probe");
  if (probe.rows() > 4000) probe = Eigen::MatrixXd(probe.topRows(4000));
  const Index m = probe.rows();
  probe.conservativeResize(m + o.existing.rows(), Eigen::NoChange);
  if (o.existing.rows() > 0) probe.bottomRows(o.existing.rows()) = o.existing;
  const Confounding found = find_confounding(model_matrix(space, terms, probe));
  if (!found.dropped.empty())
    throw Error("no runs that can be made tell these terms apart: " + describe(space, terms, found),
                "plan optimal `model`",
                "remove the terms named from `model`, or give the parameter more values");
}

/// Which run is in which group (block or whole plot), the groups of equal size give or take one.
Eigen::VectorXi even_groups(Index runs, Index groups) {
  Eigen::VectorXi out(runs);
  for (Index i = 0; i < runs; ++i) out[i] = int(i * groups / runs);
  return out;
}

/// The whole plots asked for, or four more than there are terms that only they tell, if the runs allow.
int plots_for(const Space& space, const OptimalOptions& o) {
  int terms = 0;
  for (const Term& t : o.terms) terms += between_plots(space, t);
  if (o.whole_plots > o.runs)
    throw Error(fmt::format("{} whole plots are more than {} runs", o.whole_plots, o.runs),
                "plan optimal `whole-plots`", "use fewer whole plots, or more runs");
  if (o.whole_plots > 0 && o.whole_plots + (o.existing.rows() > 0 ? o.runs : 0) < terms)
    throw Error(
        fmt::format("{} whole plots cannot estimate {} terms in hard parameters alone", o.whole_plots, terms),
        "plan optimal `whole-plots`",
        fmt::format("use `whole-plots={}` or more, or a smaller `model`", terms));
  return o.whole_plots > 0 ? o.whole_plots
                           : std::clamp(std::min(terms + 4, o.runs / 2), std::min(terms, o.runs), o.runs);
}

void check_together(const Space& space, const OptimalOptions& o, const std::vector<Index>& hard) {
  const char* where = "plan optimal";
  if (o.restarts < 1) throw Error("restarts must be 1 or more", "plan optimal `restarts`", "use 10");
  if (!hard.empty() && o.blocks > 1)
    throw Error("whole plots are blocks themselves, and there are hard parameters", where,
                "leave `blocks` out, or take `hard` off the parameters");
  if (!hard.empty() && o.candidates.rows() > 0)
    throw Error("a list of candidates and hard parameters do not go together", where,
                "leave `candidates` out and write what can be set as limits, levels and steps");
  if (!hard.empty() && o.pure_error > 0)
    throw Error("with hard parameters the scatter of whole plots comes from more of them, not from repeats",
                where, "leave `pure-error` out and ask for more `whole-plots`");
  if (hard.empty() && o.whole_plots > 0)
    throw Error("no parameter is hard to set, so that there are no whole plots", where,
                "mark it by hard = true, or leave `whole-plots` out");
  if (!hard.empty() && Index(hard.size()) == space.size())
    throw Error("all parameters are hard to set: every run sets them anew, and nothing is left within a plot",
                where, "leave hard = true at those alone that are harder than the others");
  if (!(o.variance_ratio >= 0 && std::isfinite(o.variance_ratio)))
    throw Error(fmt::format("a ratio of variances is {}", o.variance_ratio), "plan optimal `variance-ratio`",
                "use 1, or what `trust` found");
  if (!o.or_else.empty() && o.criterion == OptimalOptions::Criterion::G)
    throw Error("criterion G is for one model", where, "use I, or one `model`");
  if (o.blocks < 1 || o.pure_error < 0)
    throw Error(fmt::format("{} blocks and {} runs for pure error are no plan", o.blocks, o.pure_error),
                where, "use 1 block or more, and 0 repeats or more");
}

/// The rows, their groups and repeats, and the columns of blocks.
struct Layout {
  Eigen::VectorXi group, repeats, existing_group;
  Eigen::MatrixXd columns, existing_columns;
};

Layout lay_out(const OptimalOptions& o, int groups, bool plots) {
  Layout out;
  if (groups > 1 || plots) {
    const Eigen::VectorXi of_run = even_groups(o.runs, groups), of_repeat = even_groups(o.pure_error, groups);
    out.repeats = Eigen::VectorXi::Zero(groups);
    // The last blocks are the larger ones, and repeats begin at the first.
    for (const int g : of_repeat) ++out.repeats[g];
    std::vector<int> rows;
    for (int g = 0; g < groups; ++g)
      rows.insert(rows.end(), std::size_t((of_run.array() == g).count() - out.repeats[g]), g);
    out.group = Eigen::VectorXi::Map(rows.data(), Index(rows.size()));
  } else if (o.pure_error > 0) {
    out.repeats = Eigen::VectorXi::Constant(1, o.pure_error);
  }
  if (o.pure_error == 0) out.repeats.resize(0);
  if (plots || groups == 1) return out;
  // The runs that exist are blocks of their own.
  Eigen::VectorXi all(out.group.size() + o.existing.rows());
  all.head(out.group.size()) = out.group;
  if (o.existing.rows() > 0)
    all.tail(o.existing.rows()) =
        groups +
        (o.existing_blocks.size() > 0 ? o.existing_blocks : Eigen::VectorXi::Zero(o.existing.rows())).array();
  const Eigen::MatrixXd columns = BlockColumns(all).columns();
  out.columns = columns.topRows(out.group.size());
  out.existing_columns = columns.bottomRows(o.existing.rows());
  return out;
}

/// X₀ᵀV⁻¹X₀ of the runs that exist, of their plots if there are hard parameters.
Eigen::MatrixXd information_of_existing(const Space& space, const Terms& terms, const OptimalOptions& o,
                                        const Layout& layout, bool plots) {
  if (o.existing.rows() == 0) return {};
  Eigen::MatrixXd x = model_matrix(space, terms, o.existing);
  const Index p = x.cols(), q = layout.existing_columns.cols();
  x.conservativeResize(Eigen::NoChange, p + q);
  if (q > 0) x.rightCols(q) = layout.existing_columns;
  if (plots && o.existing_blocks.size() > 0) x = WholePlots(o.existing_blocks).whitened(x, o.variance_ratio);
  return x.transpose() * x;
}

ExchangeModel model_for(const Space& space, const Terms& terms, const OptimalOptions& o, const Layout& layout,
                        bool plots) {
  using C = OptimalOptions::Criterion;
  const Index p = Index(terms.size()), all = p + layout.columns.cols();
  ExchangeModel out{terms, information_of_existing(space, terms, o, layout, plots), {}};
  if (o.criterion == C::I || o.criterion == C::A) {
    out.weight.setZero(all, all);
    if (o.criterion == C::I)
      out.weight.topLeftCorner(p, p) = region_moments(space, terms);
    else
      out.weight.topLeftCorner(p, p).setIdentity();
  }
  return out;
}

/// Runs in the order in which they are made: groups one after another.
std::vector<Index> order_of(const Eigen::MatrixXd& points, const std::vector<int>& group, bool plots,
                            bool random, Seed seed) {
  Stream stream(seed, "optimal order");
  const int groups = *std::max_element(group.begin(), group.end()) + 1;
  std::vector<int> group_order(std::size_t(groups), 0);
  std::iota(group_order.begin(), group_order.end(), 0);
  if (plots && random) group_order = stream.permutation(groups);
  std::vector<Index> order;
  for (const int g : group_order) {
    std::vector<Index> members;
    for (std::size_t i = 0; i < group.size(); ++i)
      if (group[i] == g) members.push_back(Index(i));
    if (random) {
      for (const int k : stream.permutation(int(members.size()))) order.push_back(members[std::size_t(k)]);
      continue;
    }
    std::sort(members.begin(), members.end(), [&](Index a, Index b) {
      for (Index j = 0; j < points.cols(); ++j)
        if (points(a, j) != points(b, j)) return points(a, j) < points(b, j);
      return a < b;
    });
    order.insert(order.end(), members.begin(), members.end());
  }
  return order;
}

std::string describe_models(const Space& space, const OptimalOptions& o) {
  std::string out = describe(space, o.terms);
  for (const Terms& t : o.or_else) out += "; " + describe(space, t);
  return out;
}

void note_repeats(const OptimalOptions& o, Plan& plan) {
  std::set<std::vector<double>> distinct;
  for (Index i = 0; i < plan.size(); ++i) {
    const Eigen::VectorXd point = plan.points.row(i);
    distinct.emplace(point.data(), point.data() + point.size());
  }
  const Index repeats = plan.size() - Index(distinct.size());
  if (repeats == 0) return;
  plan.notes.push_back(
      o.pure_error > 0
          ? fmt::format("{} of {} runs repeat the setting of another; {} were asked for, and measure the "
                        "scatter whatever the model is",
                        repeats, plan.size(), o.pure_error)
          : fmt::format(
                "{} of {} runs repeat the setting of another: for this model nothing else tells more, "
                "and where runs scatter they measure the scatter; a deterministic solver gains nothing "
                "from them",
                repeats, plan.size()));
}

}  // namespace

int suggested_optimal_runs(const OptimalOptions& options) {
  const int p = int(options.terms.size());
  return std::max({(3 * p + 1) / 2 - int(options.existing.rows()), p - int(options.existing.rows()), 1});
}

OptimalOptions::Criterion parse_criterion(std::string_view text) {
  using C = OptimalOptions::Criterion;
  for (const C c : {C::D, C::I, C::A, C::G})
    if (text == name(c)) return c;
  refuse_unknown("criterion", text, "plan optimal `criterion`", {"D", "I", "A", "G"});
}
std::string_view name(OptimalOptions::Criterion criterion) {
  constexpr std::string_view names[] = {"D", "I", "A", "G"};
  return names[int(criterion)];
}

Plan optimal(const Space& space, const OptimalOptions& given, Seed seed) {
  OptimalOptions o = given;
  const std::vector<Index> hard = hard_parameters(space);
  check_together(space, o, hard);
  std::vector<Terms> models = {o.terms};
  models.insert(models.end(), o.or_else.begin(), o.or_else.end());
  const auto fewer = [](const Terms& a, const Terms& b) { return a.size() < b.size(); };
  o.terms = *std::max_element(models.begin(), models.end(), fewer);
  if (o.runs <= 0) o.runs = suggested_optimal_runs(o);
  const auto p = int(o.terms.size()), m = int(o.existing.rows()), wanted = p + o.blocks - 1 + o.pure_error;
  if (o.runs + m < wanted)
    throw Error(
        fmt::format("{} runs cannot estimate {} terms{}", o.runs + m, p,
                    wanted == p
                        ? ""
                        : fmt::format(", {} blocks and pure error from {} repeats", o.blocks, o.pure_error)),
        "plan optimal `runs`", fmt::format("use `runs={}` or more, or a smaller `model`", wanted - m));
  const bool plots = !hard.empty();
  const int groups = plots ? plots_for(space, o) : o.blocks;
  const Layout layout = lay_out(o, groups, plots);
  ExchangeProblem problem;
  problem.space = space;
  problem.rows = o.runs - o.pure_error;
  problem.candidates = o.candidates;
  problem.columns = layout.columns;
  problem.group = layout.group;
  problem.repeats = layout.repeats;
  problem.hard = hard;
  problem.variance_ratio = o.variance_ratio;
  if (plots) problem.plot = layout.group;
  if (!space.limits().empty() && o.candidates.rows() == 0) problem.pool = edge_points(space, seed);
  for (const Terms& terms : models) {
    check_estimable(space, terms, o, problem.pool, seed);
    problem.models.push_back(model_for(space, terms, o, layout, plots));
  }
  ExchangeResult best = o.criterion == OptimalOptions::Criterion::G
                            ? search_minimax(problem, o.restarts, seed)
                            : search_optimum(problem, o.restarts, seed);
  if (!best.found)
    throw Error(fmt::format("no start led to {} runs that estimate all {} terms", o.runs, p), "plan optimal",
                "use more `runs` or `restarts`, or fewer terms");
  // Hard values must stay the same within a plot, and are not moved.
  if (o.candidates.rows() == 0 && !plots) best.points = settled(space, std::move(best.points));

  std::vector<Index> row_of;
  std::vector<int> group_of;
  for (Index i = 0; i < problem.rows; ++i)
    for (int k = 0; k < best.runs[i]; ++k) {
      row_of.push_back(i);
      group_of.push_back(layout.group.size() > 0 ? layout.group[i] : 0);
    }
  const Eigen::MatrixXd points = best.points(row_of, Eigen::all);
  const std::vector<Index> order = order_of(points, group_of, plots, o.random_order, seed);
  Plan plan = make_plan(points(order, Eigen::all), "optimal", "optimal", seed);
  const int first = o.existing_blocks.size() > 0 && groups > 1 ? o.existing_blocks.maxCoeff() + 1
                    : m > 0 && groups > 1                      ? 1
                                                               : 0;
  std::vector<int> number(std::size_t(groups), -1);  // in the order in which they are run
  int next = first;
  for (Index i = 0; i < plan.size(); ++i) {
    int& of_group = number[std::size_t(group_of[std::size_t(order[std::size_t(i)])])];
    if (of_group < 0) of_group = next++;
    plan.blocks[i] = of_group;
  }
  plan.options = {{"runs", std::to_string(o.runs)},
                  {"criterion", std::string(name(o.criterion))},
                  {"model", describe_models(space, given)},
                  {"restarts", std::to_string(o.restarts)},
                  {"order", o.random_order ? "random" : "standard"}};
  if (o.blocks > 1) plan.options["blocks"] = std::to_string(o.blocks);
  if (o.pure_error > 0) plan.options["pure-error"] = std::to_string(o.pure_error);
  if (plots) {
    plan.options["whole-plots"] = std::to_string(groups);
    plan.options["variance-ratio"] = fmt::format("{}", o.variance_ratio);
    plan.notes.push_back(fmt::format(
        "{} whole plots, which are the blocks: hard parameters are set anew for each of them, even where the "
        "next has the same values, and stay within it",
        groups));
  }
  plan.next = std::uint64_t(o.runs);
  note_repeats(o, plan);
  return plan;
}

}  // namespace renth
