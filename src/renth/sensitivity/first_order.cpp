#include <algorithm>
#include <cmath>
#include <numbers>
#include <renth/numeric/dense.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/sensitivity/ranks.hpp>
#include <renth/sensitivity/runs.hpp>
#include <set>

namespace renth {
namespace {

using Index = Eigen::Index;

/// Columns that a smooth curve in one parameter is made of, the constant first.
Eigen::MatrixXd curve_columns(const Space& space, const Eigen::VectorXd& x, Index j) {
  const Index n = x.size();
  if (space[j].is_choice()) {
    Eigen::MatrixXd out = Eigen::MatrixXd::Zero(n, Index(space[j].choices.size()));
    for (Index i = 0; i < n; ++i) out(i, Index(x[i])) = 1;
    return out;
  }
  const auto different = Index(std::set<double>(x.begin(), x.end()).size());
  const Index most = std::min({Index(10), std::max<Index>(1, n / 6), different - 1});
  const Eigen::ArrayXd place = (average_ranks(x).array() - 0.5) / double(n);
  Eigen::MatrixXd out(n, most + 1);
  for (Index k = 0; k <= most; ++k) out.col(k) = (std::numbers::pi * double(k) * place).cos();
  return out;
}

/// What curves of so many of the columns explain, each run counted so many times: the share of the variance
/// less what noise would, and how many columns AICc wants.
struct Explained {
  double share = undefined;
  Index columns = 1;
};

/// \param least  of the columns that are taken, so that what seems idle has an interval of some width.
Explained explained(const Eigen::MatrixXd& columns, const Eigen::VectorXd& y, const Eigen::VectorXd& counts,
                    Index least) {
  const double n = counts.sum(), mean = counts.dot(y) / n;
  const Eigen::MatrixXd weighted = columns.array().colwise() * counts.array();
  const double sst = counts.dot((y.array() - mean).square().matrix());
  Explained out;
  if (!(sst > 0)) return out;
  Eigen::MatrixXd gram = columns.transpose() * weighted;
  const double ridge = 1e-12 * n;  // a label that no run has adds nothing
  gram.diagonal().array() += ridge;
  // One factor for all: what the first k columns explain is the sum of the first k squares.
  const Eigen::VectorXd z =
      PositiveFactor(gram).solve_factor(weighted.transpose() * (y.array() - mean).matrix());
  double ssr = 0, best = INFINITY, df = -1;
  for (Index k = 0; k < columns.cols(); ++k) {
    ssr += z[k] * z[k];
    df += gram(k, k) > 2 * ridge;
    const double parameters = df + 2, left = std::max(1e-30, 1 - ssr / sst);
    const double criterion = n * std::log(left) + 2 * parameters * n / (n - parameters - 1);
    if (k + 1 < least || (criterion >= best && k + 1 > least)) continue;
    best = criterion;
    out.columns = k + 1;
    out.share = n - 1 - df > 0 ? 1 - left * (n - 1) / (n - 1 - df) : undefined;
  }
  return out;
}

std::string curve_direction(const Space& space, const Eigen::MatrixXd& columns, const Eigen::VectorXd& x,
                            Index j, const Eigen::VectorXd& y) {
  if (space[j].is_choice()) return "mixed";
  const Eigen::VectorXd curve = columns * least_squares(columns, y);
  std::vector<double> in_order;
  for (const Index i : ascending(x)) in_order.push_back(curve[i]);
  return direction_of(in_order);
}

/// The bootstrap's quantiles, shifted by its bias, and wider by √(n/(n − 6k)) of k waves: as much as coverage
/// over many plans asks for where waves were chosen.
std::pair<double, double> interval(double share, const Eigen::VectorXd& drawn, Index waves, Index n,
                                   double level) {
  std::vector<double> values;
  for (const double v : drawn)
    if (std::isfinite(v)) values.push_back(v);
  if (values.size() < 20) return {undefined, undefined};
  std::sort(values.begin(), values.end());
  const double mean = Eigen::Map<const Eigen::VectorXd>(values.data(), Index(values.size())).mean();
  const double wider = std::sqrt(double(n) / std::max(0.4 * double(n), double(n) - 6.0 * double(waves)));
  const auto bound = [&](double q) {
    return share + wider * (values[std::size_t(q * double(values.size() - 1) + 0.5)] - mean);
  };
  return {bound((1 - level) / 2), bound((1 + level) / 2)};
}

}  // namespace

Ranking first_order_of_runs(const Space& space, const Data& data, Seed seed, double level) {
  const Eigen::VectorXd y = detail::output_of_runs(space, data, 8);
  const Index n = y.size(), d = space.size();
  const int draws = n <= 2000 ? 400 : 100;
  const Eigen::VectorXd ones = Eigen::VectorXd::Ones(n);
  std::vector<Eigen::MatrixXd> columns;
  for (Index j = 0; j < d; ++j) columns.push_back(curve_columns(space, data.inputs.col(j), j));
  const auto least = [&](Index j) {
    return space[j].is_choice() ? columns[std::size_t(j)].cols() : Index(2);
  };
  std::vector<Explained> found;
  for (Index j = 0; j < d; ++j) found.push_back(explained(columns[std::size_t(j)], y, ones, least(j)));
  Eigen::MatrixXd drawn(draws, d);
  parallel_for(draws, [&](std::int64_t b) {
    Stream stream(seed, "first order of runs", std::uint64_t(b));
    Eigen::VectorXd counts = Eigen::VectorXd::Zero(n);
    for (Index i = 0; i < n; ++i) ++counts[Index(stream.below(std::uint64_t(n)))];
    for (Index j = 0; j < d; ++j)
      drawn(b, j) = explained(columns[std::size_t(j)].leftCols(found[std::size_t(j)].columns), y, counts,
                              found[std::size_t(j)].columns)
                        .share;
  });
  Ranking out;
  out.method = "first-order";
  out.variance = (y.array() - y.mean()).square().sum() / double(n - 1);
  for (Index j = 0; j < d; ++j) {
    const auto at = std::size_t(j);
    const double share = found[at].share;
    RankedParameter p;
    p.parameter = j;
    p.share = p.first = std::clamp(share, 0.0, 1.0);
    const auto [low, high] = interval(share, drawn.col(j), found[at].columns - 1, n, level);
    p.low = std::isnan(low) ? undefined : std::clamp(low, 0.0, p.share);
    p.high = std::isnan(high) ? undefined : std::clamp(high, p.share, 1.0);
    p.measures = {{"waves", "waves", double(found[at].columns - 1)}};
    p.direction =
        p.low > 0 ? curve_direction(space, columns[at].leftCols(found[at].columns), data.inputs.col(j), j, y)
                  : "none";
    out.parameters.push_back(std::move(p));
  }
  sort_by_share(out);
  return out;
}

}  // namespace renth
