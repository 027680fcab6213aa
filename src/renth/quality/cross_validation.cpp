#include <algorithm>
#include <map>
#include <optional>
#include <renth/base/error.hpp>
#include <renth/base/undefined.hpp>
#include <renth/fit/blocks.hpp>
#include <renth/fit/fit.hpp>
#include <renth/fit/regression.hpp>
#include <renth/fit/replicates.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/numeric/symmetric_eigen.hpp>
#include <renth/quality/cross_validation.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/terms/confounding.hpp>
#include <renth/terms/whole_plots.hpp>
#include <set>
#include <utility>

namespace renth {

using Eigen::Index;

namespace {

/// Groups in the order of the runs, as replicate_groups() counts; of some every run is one of its own.
std::vector<int> with_apart(const std::vector<int>& group, const std::vector<bool>& apart) {
  std::map<std::pair<int, std::size_t>, int> number;
  std::vector<int> out;
  for (std::size_t i = 0; i < group.size(); ++i) {
    const std::pair key(group[i], apart[std::size_t(group[i])] ? i : 0);
    out.push_back(number.emplace(key, int(number.size())).first->second);
  }
  return out;
}

/// Whole plots; runs one at a time where the others do not tell the terms without a plot.
std::vector<int> plots_left_out(const Space& space, const Data& data, Terms terms) {
  if (terms.empty()) terms = suggested_terms(space, data.inputs, data.blocks, 0);
  Data design = data;
  design.plots.resize(0);
  design.outputs.setZero(data.size(), 1);
  const Regression fit = regress(space, design, terms, {}, Confounded::leave_out);
  const WholePlots plots(data.plots);
  std::vector<std::vector<Index>> members(std::size_t(plots.count()));
  for (std::size_t i = 0; i < plots.of_run().size(); ++i)
    members[std::size_t(plots.of_run()[i])].push_back(Index(i));
  std::vector<bool> needed;
  for (const auto& rows : members) {
    const Eigen::MatrixXd q = fit.x(rows, Eigen::all) * fit.inverse;
    needed.push_back(symmetric_eigenvalues(q * q.transpose()).maxCoeff() > 0.9);
  }
  return with_apart(plots.of_run(), needed);
}

}  // namespace

std::vector<int> left_out_together(const Space& space, const Data& data, Terms terms) {
  if (data.plots.size() > 0) return plots_left_out(space, data, std::move(terms));
  std::vector<int> group = replicate_groups(data);
  const int count = group_count(group);
  if (std::size_t(count) == group.size()) return group;  // nothing is repeated
  if (terms.empty()) terms = suggested_terms(space, data.inputs, data.blocks, 0);
  Data design = data;
  design.outputs.setZero(data.size(), 1);
  const Eigen::VectorXd leverage = regress(space, design, terms, {}, Confounded::leave_out).leverage();
  std::vector<double> joint(std::size_t(count), 0);
  std::vector<int> size(std::size_t(count), 0);
  for (std::size_t i = 0; i < group.size(); ++i) {
    joint[std::size_t(group[i])] += leverage[Index(i)];
    ++size[std::size_t(group[i])];
  }
  std::vector<bool> apart;
  for (std::size_t g = 0; g < joint.size(); ++g) apart.push_back(size[g] > 1 && joint[g] > 0.9);
  return with_apart(group, apart);
}

Folds make_folds(const std::vector<int>& group, Seed seed, int repeat) {
  constexpr int most = 10;
  const int groups = group_count(group);
  Folds folds;
  folds.count = groups <= most_folds_of_one ? groups : most;
  const std::vector<int> order = Stream(seed, "folds", std::uint64_t(repeat)).permutation(groups);
  for (const int g : group) folds.of_run.push_back(order[g] % std::max(1, folds.count));
  return folds;
}

int settings_in_several_folds(const Data& data, const Folds& folds) {
  const std::vector<int> group = replicate_groups(data);
  std::map<int, std::set<int>> of_group;
  for (std::size_t i = 0; i < group.size(); ++i) of_group[group[i]].insert(folds.of_run[i]);
  return int(
      std::count_if(of_group.begin(), of_group.end(), [](const auto& g) { return g.second.size() > 1; }));
}

void CrossValidation::drop_folds_without_model() {
  std::vector<int> number;
  std::vector<std::shared_ptr<const Surrogate>> kept;
  for (const auto& model : models) {
    number.push_back(model ? int(kept.size()) : -1);
    if (model) kept.push_back(model);
  }
  for (int& f : folds.of_run) f = f < 0 ? f : number[std::size_t(f)];
  folds.count = int(kept.size());
  models = std::move(kept);
}

CrossValidation begin_cross_validation(const Data& data, const Folds& folds) {
  CrossValidation out;
  out.folds = folds;
  out.predicted.setConstant(data.size(), data.outputs.cols(), undefined);
  out.models.resize(static_cast<std::size_t>(folds.count));
  return out;
}

CrossValidation cross_validate(const Space& space, const Data& data, const Folds& folds, const Fit& fit,
                               Seed seed) {
  if (folds.count < 2)
    throw Error("cross-validation needs runs at two or more different points", "cross-validation",
                "add runs");
  CrossValidation out = begin_cross_validation(data, folds);
  cross_validate_folds(space, data, fit, seed, 0, folds.count, out);
  return out;
}

void cross_validate_folds(const Space& space, const Data& data, const Fit& fit, Seed seed, int from, int to,
                          CrossValidation& out) {
  const Folds& folds = out.folds;
  std::vector<std::optional<Error>> problems(out.models.size());
  parallel_for(to - from, [&](std::int64_t which) {
    const auto f = from + which;
    std::vector<Index> in, left_out;
    for (Index i = 0; i < data.size(); ++i) (folds.of_run[i] == f ? left_out : in).push_back(i);
    const Data seen = data.rows(in), unseen = data.rows(left_out);
    try {
      out.models[f] = fit(space, seen, seed);
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::request) throw;
      problems[std::size_t(f)] = e;
      return;
    }
    const Surrogate& model = *out.models[f];
    const Eigen::MatrixXd level = model.predict(unseen.inputs).mean,
                          mean = with_block_effects(model, space, seen, unseen, level);
    if ((level.array().isFinite() && !mean.array().isFinite()).any())
      problems[std::size_t(f)] =
          Error("a block has no run but those left out", "cross-validation", "add runs");
    for (std::size_t k = 0; k < left_out.size(); ++k) out.predicted.row(left_out[k]) = mean.row(k);
  });
  const auto first =
      std::find_if(problems.begin(), problems.end(), [](const auto& p) { return p.has_value(); });
  if (first != problems.end() && out.problem.empty()) out.problem = (*first)->what();
}

FoldModels fold_models(const CrossValidation& cv, const Eigen::MatrixXd& outputs) {
  return {cv.models, cv.folds.of_run, (outputs - cv.predicted).cwiseAbs()};
}

}  // namespace renth
