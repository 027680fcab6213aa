#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/fit/blocks.hpp>
#include <renth/fit/kriging_objective.hpp>
#include <renth/fit/nearest_kriging_fit.hpp>
#include <renth/fit/vecchia.hpp>
#include <renth/numeric/dense.hpp>
#include <renth/numeric/descend.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/space/features.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kriging.hpp>
#include <renth/surrogate/kriging_ensemble.hpp>
#include <renth/surrogate/nearest_kriging.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// For each of `terms` its nearest runs among the first 2^k before it: one tree a power of two.
std::vector<std::vector<int>> given_runs(const Eigen::MatrixXd& scaled, const std::vector<int>& terms,
                                         int m) {
  std::vector<std::vector<int>> out(terms.size());
  std::size_t at = 0;
  for (Index first = 2 * m;; first *= 2) {
    const Index before = std::min(first, scaled.rows());
    const KdTree tree(scaled, before);
    std::size_t end = at;
    while (end < terms.size() && (terms[end] < 2 * first || before == scaled.rows())) ++end;
    parallel_for(std::int64_t(end - at), [&](std::int64_t i) {
      const std::size_t term = at + std::size_t(i);
      const Eigen::VectorXd point = scaled.row(terms[term]);
      tree.nearest(point.data(), m, out[term]);
    });
    at = end;
    if (at == terms.size()) return out;
  }
}

constexpr int conditioning = 25;  // fewer than for predictions: lengths need less

/// The runs whose terms of the likelihood are summed, by their place in the order.
std::vector<int> terms_of(Index n) {
  std::vector<int> terms;
  const int count = std::min<int>(int(n) - 2 * conditioning, NearestKriging::likelihood_runs);
  for (int i = 0; i < count; ++i)
    terms.push_back(2 * conditioning + int(std::int64_t(i) * (n - 2 * conditioning) / count));
  return terms;
}

/// Where a dense fit of a part ends, with its kernel.
std::vector<double> dense_start(const Space& space, const Data& data, const KrigingOptions& options,
                                const std::vector<int>& order, Seed seed, Kernel& kernel) {
  std::vector<Index> rows(order.begin(), order.begin() + std::min<Index>(data.size(), options.part));
  std::sort(rows.begin(), rows.end());
  KrigingOptions part = options;
  part.part = part.most_dense = std::numeric_limits<int>::max();
  part.draws = 0;
  const auto dense = kriging_fit(part)(space, data.rows(rows), seed);
  kernel = likeliest_process(*dense)->kernel;
  return likeliest_process(*dense)->warm_start();
}

Eigen::VectorXd likeliest_local_lengths(VecchiaLikelihood& likelihood, const Eigen::VectorXd& start,
                                        int lengths) {
  const bool estimated = start.size() > lengths;
  const Eigen::VectorXd out =
      renth::descend([&](const Eigen::VectorXd& at, Eigen::VectorXd* g) { return likelihood(at, g); }, start,
                     least_logs(lengths, estimated), most_logs(lengths, estimated),
                     {.value_tolerance = 0.01, .most_evaluations = 40})
          .at;
  likelihood(out, nullptr);
  return out;
}

}  // namespace

Fit nearest_kriging_fit(KrigingOptions options) {
  return without_blocks(
      [options](const Space& space, const Data& data, Seed seed) -> std::unique_ptr<const Surrogate> {
        check_data(space, data);
        const Index n = data.size();
        const std::vector<int> order = Stream(seed, "conditioning order").permutation(int(n));
        const Eigen::VectorXd y = data.outputs.col(0);
        NearestKriging::State s;
        s.space = Space(space.parameters());
        s.trend = trend_terms(space, options.trend);
        s.centre = y.mean();
        const Eigen::MatrixXd trend = model_matrix(space, s.trend, data.inputs);
        s.beta = least_squares(trend, (y.array() - s.centre).matrix());
        s.residual = y.array() - s.centre - (trend * s.beta).array();

        Kernel kernel = options.kernel.value_or(Kernel::matern52);
        std::vector<double> start = options.warm_start;
        const Eigen::MatrixXd unit = features(space, data.inputs);
        const std::vector<int> owner = feature_lengths(space);
        const int lengths = owner.back() + 1;
        if (start.empty()) start = dense_start(space, data, options, order, seed, kernel);
        if (data.noisy && start.size() == std::size_t(lengths)) start.push_back(std::log(1e-3));
        Eigen::VectorXd t = Eigen::Map<const Eigen::VectorXd>(start.data(), Index(start.size()));

        const std::vector<int> terms = terms_of(n);
        Eigen::MatrixXd ordered(n, unit.cols());
        Eigen::VectorXd residual(n);
        const double scale = std::sqrt(s.residual.squaredNorm() / double(n));
        for (Index i = 0; i < n; ++i) {
          ordered.row(i) = unit.row(order[std::size_t(i)]);
          residual[i] = s.residual[order[std::size_t(i)]] / scale;
        }
        const auto scaled = [&](const Eigen::MatrixXd& x) {
          Eigen::MatrixXd out = x;
          for (Index k = 0; k < out.cols(); ++k) out.col(k) *= std::exp(-t[owner[std::size_t(k)]]);
          return out;
        };
        s.kernel = kernel;
        VecchiaLikelihood likelihood(kernel, ordered, owner, residual, terms,
                                     given_runs(scaled(ordered), terms, conditioning));
        if (options.keep_lengths)
          likelihood(t, nullptr);
        else
          t = likeliest_local_lengths(likelihood, t, lengths);
        s.theta = t.head(lengths).array().exp();
        s.nugget_is_noise = t.size() > lengths;
        s.nugget = s.nugget_is_noise ? std::exp(t[lengths]) : KrigingObjective::floor;
        s.sigma2 = likelihood.sigma2() * scale * scale;
        s.runs = scaled(unit);
        return std::make_unique<NearestKriging>(std::move(s));
      });
}

}  // namespace renth
