#include <algorithm>
#include <renth/base/error.hpp>
#include <renth/fit/fit.hpp>
#include <renth/fit/replicates.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/quality/cross_validation.hpp>
#include <renth/surrogate/data.hpp>

namespace renth {

Folds make_folds(const Data& data, Seed seed, int repeat) {
  constexpr int alone = 120, most = 10;
  const std::vector<int> group = replicate_groups(data);
  const int groups = group.empty() ? 0 : *std::max_element(group.begin(), group.end()) + 1;
  Folds folds;
  folds.count = groups <= alone ? groups : most;
  const std::vector<int> order = Stream(seed, "folds", std::uint64_t(repeat)).permutation(groups);
  for (const int g : group) folds.of_run.push_back(order[g] % std::max(1, folds.count));
  return folds;
}

CrossValidation cross_validate(const Space& space, const Data& data, const Folds& folds, const Fit& fit,
                               Seed seed) {
  if (folds.count < 2)
    throw Error("cross-validation needs runs at two or more different points", "cross-validation",
                "add runs");
  CrossValidation out;
  out.folds = folds;
  out.predicted.resize(data.size(), data.outputs.cols());
  out.models.resize(static_cast<std::size_t>(folds.count));
  parallel_for(folds.count, [&](std::int64_t f) {
    std::vector<Eigen::Index> in, left_out;
    for (Eigen::Index i = 0; i < data.size(); ++i) (folds.of_run[i] == f ? left_out : in).push_back(i);
    out.models[f] = fit(space, data.rows(in), seed);
    const Eigen::MatrixXd points = data.inputs(left_out, Eigen::all);
    const Eigen::MatrixXd mean = out.models[f]->predict(points).mean;
    for (std::size_t k = 0; k < left_out.size(); ++k) out.predicted.row(left_out[k]) = mean.row(k);
  });
  return out;
}

FoldModels fold_models(const CrossValidation& cv, const Eigen::MatrixXd& outputs) {
  return {cv.models, cv.folds.of_run, (outputs - cv.predicted).cwiseAbs()};
}

}  // namespace renth
