#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/numeric/dense.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/sensitivity/ranks.hpp>
#include <renth/sensitivity/runs.hpp>
#include <renth/terms/confounding.hpp>
#include <renth/terms/terms.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

Eigen::VectorXd centred(Eigen::VectorXd v) {
  v.array() -= v.mean();
  const double norm = v.norm();
  return norm > 0 ? Eigen::VectorXd(v / norm) : Eigen::VectorXd::Zero(v.size());
}

/// Columns of one parameter: its values, or the contrasts of a choice.
Eigen::MatrixXd columns_of(const Space& space, const Eigen::MatrixXd& inputs, Index j, bool ranked) {
  if (!space[j].is_choice()) {
    const Eigen::VectorXd v = inputs.col(j);
    return centred(ranked ? average_ranks(v) : v);
  }
  const Eigen::MatrixXd table = contrasts(int(space[j].choices.size()));
  Eigen::MatrixXd out(inputs.rows(), table.cols());
  for (Index i = 0; i < inputs.rows(); ++i) out.row(i) = table.row(Index(inputs(i, j)));
  for (Index k = 0; k < out.cols(); ++k) out.col(k) = centred(out.col(k));
  return out;
}

/// Its correlation with y (centred, of length 1); of several columns the multiple one, without a sign.
double correlation(const Eigen::MatrixXd& x, const Eigen::VectorXd& y) {
  if (x.cols() == 1) return std::clamp(x.col(0).dot(y), -1.0, 1.0);
  const Eigen::VectorXd c = x.transpose() * y;
  const Eigen::MatrixXd gram = x.transpose() * x;
  return std::sqrt(std::clamp(c.dot(shortest_least_squares(gram, c)), 0.0, 1.0));
}

/// Bounds by artanh r ± z·s; of what has no sign not below 0.
Measure bounded(std::string key, std::string title, double r, double s, double level, bool sign) {
  Measure out{std::move(key), std::move(title), r, undefined, undefined, {}};
  if (!std::isfinite(r) || !std::isfinite(s)) return out;
  if (std::abs(r) >= 1) {
    out.low = out.high = r;
    return out;
  }
  const double half = student_t_width(level, INFINITY) * s;
  out.low = std::tanh(std::atanh(r) - half);
  out.high = std::tanh(std::atanh(r) + half);
  if (!sign) out.low = std::max(0.0, out.low);
  return out;
}

double root_of_inverse(double n) {
  return n > 0 ? 1 / std::sqrt(n) : undefined;
}

/// Partial correlations of all parameters with y: of the columns of one, SS/(SS + SSE) of a regression on
/// all. Undefined where the runs tell them not apart or nothing is left.
std::vector<double> partial(const Eigen::MatrixXd& all, const std::vector<Index>& widths,
                            const Eigen::VectorXd& y, bool full_rank) {
  std::vector<double> out(widths.size(), undefined);
  if (y.size() <= all.cols() + 2 || !full_rank) return out;
  const QrFactor qr(all);
  const Eigen::VectorXd beta = qr.solve(y);
  const double sse = (y - all * beta).squaredNorm();
  const Eigen::MatrixXd inverse = qr.inverse_triangle();
  Index at = 0;
  for (std::size_t j = 0; j < widths.size(); at += widths[j], ++j) {
    const Eigen::MatrixXd rows = inverse.middleRows(at, widths[j]);
    const Eigen::VectorXd own = beta.segment(at, widths[j]);
    const double ss = own.dot(solve_symmetric(rows * rows.transpose(), own));
    const double size = std::sqrt(ss / (ss + sse));
    out[j] = widths[j] == 1 ? std::copysign(size, own[0]) : size;
  }
  return out;
}

}  // namespace

Ranking correlations_of_runs(const Space& space, const Data& data, double level) {
  const Eigen::VectorXd output = detail::output_of_runs(space, data, 4);
  const Eigen::VectorXd y = centred(output), y_ranks = centred(average_ranks(output));
  const double n = double(data.size());
  std::vector<Eigen::MatrixXd> ranked;
  std::vector<Index> widths;
  Index all = 0;
  for (Index j = 0; j < space.size(); ++j) {
    ranked.push_back(columns_of(space, data.inputs, j, true));
    widths.push_back(ranked.back().cols());
    all += widths.back();
  }
  Eigen::MatrixXd together(data.size(), all);
  for (Index j = 0, at = 0; j < space.size(); at += widths[std::size_t(j)], ++j)
    together.middleCols(at, widths[std::size_t(j)]) = ranked[std::size_t(j)];
  const bool full_rank = column_rank(together) == all;
  const std::vector<double> given_others = partial(together, widths, y_ranks, full_rank);

  Ranking out;
  out.method = "correlations";
  out.variance = (output.array() - output.mean()).square().sum() / (n - 1);
  for (Index j = 0; j < space.size(); ++j) {
    const bool sign = !space[j].is_choice() || space[j].choices.size() == 2;
    const Eigen::MatrixXd x = columns_of(space, data.inputs, j, false);
    const double r = x.isZero(0) ? undefined : correlation(x, y),
                 s = x.isZero(0) ? undefined : correlation(ranked[std::size_t(j)], y_ranks);
    const double plain = root_of_inverse(n - 3), of_ranks = std::sqrt(1 + s * s / 2) * plain;
    RankedParameter p;
    p.parameter = j;
    p.measures = {bounded("pearson", "linear", r, plain, level, sign),
                  bounded("spearman", "of ranks", s, of_ranks, level, sign),
                  bounded("partial", "partial", given_others[std::size_t(j)],
                          root_of_inverse(n - 3 - double(all - widths[std::size_t(j)])), level, sign)};
    const Measure& linear = p.measures.front();
    p.share = r * r;
    const bool crosses = linear.low < 0 && linear.high > 0;
    p.low = crosses ? 0 : std::min(linear.low * linear.low, linear.high * linear.high);
    p.high = std::max(linear.low * linear.low, linear.high * linear.high);
    const Measure& monotonic = p.measures[1];
    p.direction = !sign || space[j].is_choice() ? "mixed" : monotonic.low > 0 ? "up" : "down";
    if (!(monotonic.low > 0) && !(monotonic.high < 0)) p.direction = "none";
    out.parameters.push_back(std::move(p));
  }
  if (!full_rank) {
    const Terms linear = parse_terms(space, "linear");
    out.remarks.push_back(
        fmt::format("the runs cannot tell these apart, so no partial correlation is told: {}",
                    describe(space, linear, find_confounding(model_matrix(space, linear, data.inputs)))));
  } else if (data.size() <= all + 2) {
    out.remarks.push_back(
        fmt::format("{} runs are too few for partial correlations of {} columns", data.size(), all));
  }
  sort_by_share(out);
  return out;
}

}  // namespace renth
