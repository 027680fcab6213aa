#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/fit/plot_variance.hpp>
#include <renth/fit/regression.hpp>
#include <renth/numeric/dense.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/tall_qr.hpp>
#include <renth/terms/block_columns.hpp>
#include <renth/terms/confounding.hpp>

namespace renth {
namespace {

using Eigen::Index;

Eigen::VectorXd transformed(const Data& data, const Transform& transform) {
  if (data.size() == 0) throw Error("there are no runs to fit", "fit polynomial", "run or import some");
  Eigen::VectorXd y = data.outputs.col(0);
  if (!y.allFinite()) throw Error("an output is not a finite number", "fit polynomial", "set the run aside");
  if (transform.none()) return y;
  if (!(y.minCoeff() > 0))
    throw Error(
        fmt::format("a power or logarithm needs values above zero, and the smallest is {}", y.minCoeff()),
        "fit polynomial `transform`", "fit it as it is, or set the runs aside");
  for (double& v : y) v = transform.forward(v);
  return y;
}

Eigen::VectorXd weight_roots(const Data& data) {
  if (data.weights.size() == 0) return Eigen::VectorXd::Ones(data.size());
  if (!(data.weights.allFinite() && data.weights.minCoeff() > 0))
    throw Error(fmt::format("a weight is {}, and weights are above zero", data.weights.minCoeff()),
                "fit polynomial `weights`", "give every run a weight, or set it aside");
  return data.weights.cwiseSqrt();
}

/// Which columns change between whole plots alone; the columns whitened.
void lay_out_plots(const Eigen::VectorXi& plots, Regression& fit) {
  fit.plots = WholePlots(plots);
  const Eigen::MatrixXd within = fit.x - fit.plots.means(fit.x)(fit.plots.of_run(), Eigen::all);
  for (Index c = 0; c < fit.x.cols(); ++c)
    fit.between.push_back(within.col(c).norm() <= 1e-9 * fit.x.col(c).norm());
  fit.variance_ratio = variance_ratio_of(fit.x, fit.y, fit.plots);
  fit.x = fit.plots.whitened(fit.x, fit.variance_ratio);
}

/// Columns and their order; no factor yet.
Regression lay_out(const Space& space, const Data& data, const Terms& terms, const Transform& transform) {
  Regression out;
  out.y = transformed(data, transform);
  out.root = weight_roots(data);
  out.terms = terms;
  const BlockColumns blocks(data.blocks);
  out.block_of = blocks.of_run;
  out.block_contrasts = blocks.contrasts;
  out.block_columns = blocks.size();
  for (const Term& t : terms) out.constant = out.constant || t.factors.empty();
  out.first_block = out.constant ? 1 : 0;
  for (std::size_t t = 0; t < terms.size(); ++t)
    out.column.push_back(Index(t) + (terms[t].factors.empty() ? 0 : out.block_columns));
  const Eigen::MatrixXd columns = model_matrix(space, terms, data.inputs);
  out.x.resize(data.size(), columns.cols() + out.block_columns);
  out.x.leftCols(out.first_block) = columns.leftCols(out.first_block);
  if (out.block_columns > 0) out.x.middleCols(out.first_block, out.block_columns) = blocks.columns();
  out.x.rightCols(columns.cols() - out.first_block) = columns.rightCols(columns.cols() - out.first_block);
  if (data.weights.size() > 0) out.x.array().colwise() *= out.root.array();
  if (data.plots.size() > 0 && data.plots.minCoeff() != data.plots.maxCoeff()) lay_out_plots(data.plots, out);
  return out;
}

/// y − X·β, every coded value, product and sum in extended precision.
class ExactResidual {
 public:
  ExactResidual(const Space& space, const Data& data, const Regression& fit)
      : space_(space), data_(data), fit_(fit) {
    for (Index j = 0; j < space.size(); ++j)
      tables_.push_back(space[j].is_choice() ? contrasts(int(space[j].choices.size())) : Eigen::MatrixXd());
  }

  Eigen::VectorXd operator()(const Extended& beta) const {
    const Index n = fit_.runs();
    Eigen::VectorXd out(n);
    parallel_for((n + chunk - 1) / chunk, [&](std::int64_t c) {
      for (Index i = c * chunk; i < std::min(n, (c + 1) * chunk); i += rows)
        part(i, std::min(rows, n - i), beta, out);
    });
    return out;
  }

 private:
  static constexpr Index rows = 128, chunk = 32 * rows;
  using Column = Eigen::Array<long double, rows, 1>;

  void part(Index begin, Index count, const Extended& beta, Eigen::VectorXd& out) const {
    std::vector<Column> coded(std::size_t(space_.size()), Column::Zero());
    for (Index j = 0; j < space_.size(); ++j) {
      const long double low = space_[j].low, high = space_[j].high;
      if (space_[j].is_choice()) continue;
      for (Index i = 0; i < count; ++i) {
        const long double v = data_.inputs(begin + i, j);
        coded[std::size_t(j)][i] = (v - low - (high - v)) / (high - low);
      }
    }
    Column sum = Column::Zero(), term;
    sum.head(count) = fit_.y.segment(begin, count).cast<long double>().array();
    for (std::size_t t = 0; t < fit_.terms.size(); ++t) {
      term.setConstant(beta[fit_.column[t]]);
      for (const Factor& f : fit_.terms[t].factors) {
        if (f.choice > 0)
          for (Index i = 0; i < count; ++i)
            term[i] *=
                tables_[std::size_t(f.parameter)](Index(data_.inputs(begin + i, f.parameter)), f.choice - 1);
        for (int k = 0; f.choice == 0 && k < f.power; ++k) term *= coded[std::size_t(f.parameter)];
      }
      sum -= term;
    }
    for (Index b = 0; b < fit_.block_columns; ++b)
      for (Index i = 0; i < count; ++i)
        sum[i] -= beta[fit_.first_block + b] * fit_.block_contrasts(fit_.block_of[std::size_t(begin + i)], b);
    out.segment(begin, count) = sum.head(count).cast<double>().matrix();
  }

  const Space& space_;
  const Data& data_;
  const Regression& fit_;
  std::vector<Eigen::MatrixXd> tables_;
};

/// Xᵀv in blocks of fixed size.
Eigen::VectorXd products(const Eigen::MatrixXd& x, const Eigen::VectorXd& v) {
  constexpr Index rows = 4096;
  std::vector<Eigen::VectorXd> parts(std::size_t((x.rows() + rows - 1) / rows));
  parallel_for(std::int64_t(parts.size()), [&](std::int64_t c) {
    const Index begin = c * rows, count = std::min(rows, x.rows() - begin);
    parts[std::size_t(c)] = x.middleRows(begin, count).transpose() * v.segment(begin, count);
  });
  Eigen::VectorXd sum = Eigen::VectorXd::Zero(x.cols());
  for (const Eigen::VectorXd& part : parts) sum += part;
  return sum;
}

void find_coefficients(const Space& space, const Data& data, const Eigen::VectorXd& first, Regression& fit) {
  const ExactResidual exact(space, data, fit);
  fit.beta = solve_upper(fit.r, first).cast<long double>();
  double before = std::numeric_limits<double>::infinity();
  for (int step = 0; step < 8; ++step) {
    fit.residual = exact(fit.beta);
    const Eigen::VectorXd weighted = fit.scaled(fit.residual);
    const Eigen::VectorXd half = solve_upper_transposed(fit.r, products(fit.x, weighted));
    const double size = half.norm();
    if (!(size < before / 2)) break;  // what is left is rounding
    before = size;
    fit.beta += solve_upper(fit.r, half).cast<long double>();
    if (size <= 1e-17 * (fit.r * fit.beta.cast<double>()).norm() + 1e-16 * weighted.norm()) break;
  }
}

/// Of whole plots: round the mean that generalised least squares gives.
void sums_with_plots(Regression& fit) {
  Eigen::VectorXd left = fit.scaled(fit.y.array() - (fit.constant ? fit.y.mean() : 0.0));
  fit.sse = fit.scaled(fit.residual).squaredNorm();
  if (fit.constant) {
    const Eigen::VectorXd one = fit.scaled(Eigen::VectorXd::Ones(fit.runs()));
    left -= one * (one.dot(left) / one.squaredNorm());
  }
  fit.sst = left.squaredNorm();
}

void sums_of_squares(Regression& fit) {
  if (fit.plots.count() > 0) return sums_with_plots(fit);
  long double sse = 0, weights = 0, mean = 0, sst = 0;
  for (Index i = 0; i < fit.runs(); ++i) {
    const long double w = static_cast<long double>(fit.root[i]) * fit.root[i];
    sse += w * fit.residual[i] * fit.residual[i];
    weights += w;
    mean += w * fit.y[i];
  }
  mean = fit.constant ? mean / weights : 0;
  for (Index i = 0; i < fit.runs(); ++i) {
    const long double d = fit.root[i] * (fit.y[i] - mean);
    sst += d * d;
  }
  fit.sse = double(sse);
  fit.sst = double(sst);
}

/// Indices of columns as those of terms; what is no term becomes a block.
std::vector<Index> as_terms(const Regression& fit, const std::vector<Index>& columns) {
  std::vector<Index> out;
  for (const Index c : columns) {
    const auto found = std::find(fit.column.begin(), fit.column.end(), c);
    out.push_back(found - fit.column.begin());
  }
  return out;
}

[[noreturn]] void refuse(const Space& space, const Regression& fit, Confounding found) {
  found.kept = as_terms(fit, found.kept);
  found.dropped = as_terms(fit, found.dropped);
  throw Error("these runs cannot tell some terms apart: " + describe(space, fit.terms, found),
              "terms " + describe(space, fit.terms),
              "remove the terms named, or add runs that vary them separately");
}

}  // namespace

double Regression::sigma2() const {
  return runs() > size() ? sse / degrees_of_freedom() : std::numeric_limits<double>::quiet_NaN();
}

double Regression::degrees_between() const {
  return double(plots.count()) - double(std::count(between.begin(), between.end(), true));
}

double Regression::freedom_of(const std::vector<Index>& columns) const {
  if (plots.count() == 0) return degrees_of_freedom();
  const bool any =
      std::any_of(columns.begin(), columns.end(), [&](Index c) { return between[std::size_t(c)]; });
  return any ? degrees_between() : degrees_within();
}

Eigen::VectorXd Regression::scaled(const Eigen::VectorXd& values) const {
  const Eigen::VectorXd weighted = values.cwiseProduct(root);
  return plots.count() > 0 ? Eigen::VectorXd(plots.whitened(weighted, variance_ratio)) : weighted;
}

Eigen::VectorXd Regression::leverage() const {
  return hat_diagonal(x, r);
}

Eigen::MatrixXd Regression::covariance(const std::vector<Index>& columns) const {
  const Eigen::MatrixXd rows = inverse(columns, Eigen::all);
  return rows * rows.transpose();
}

Regression regression_design(const Space& space, const Data& data, const Terms& terms,
                             const Transform& transform) {
  Regression fit = lay_out(space, data, terms, transform);
  fit.r = triangular_factor(fit.x);
  return fit;
}

Regression regress(const Space& space, const Data& data, const Terms& terms, const Transform& transform,
                   Confounded confounded) {
  Regression fit = lay_out(space, data, terms, transform);
  const Index n = fit.runs(), wide = fit.x.cols();
  if (wide > n && confounded == Confounded::refuse)
    throw Error(fmt::format("{} run{} too few for {} terms", n, n == 1 ? " is" : "s are", wide),
                "terms " + describe(space, terms),
                fmt::format("add at least {} run{} or use fewer terms", wide - n, wide - n == 1 ? "" : "s"));
  // The mean is taken off first: a response far from zero must not lose its digits in the factor.
  const double offset = fit.constant ? fit.y.mean() : 0;
  Eigen::MatrixXd joined(n, wide + 1);
  joined << fit.x, fit.scaled(fit.y.array() - offset);
  const Eigen::MatrixXd factor = triangular_factor(joined);
  fit.r = factor.topLeftCorner(wide, wide);
  Eigen::VectorXd first = factor.col(wide).head(wide);

  const Confounding found = find_confounding(fit.r);
  if (!found.dropped.empty()) {
    if (confounded == Confounded::refuse) refuse(space, fit, found);
    // The factor of the columns that stay is that of their part of R.
    const Index kept = Index(found.kept.size());
    Eigen::MatrixXd part(wide, kept + 1);
    part << fit.r(Eigen::all, found.kept), first;
    const Eigen::MatrixXd again = triangular_factor(part);
    first = again.col(kept).head(kept);
    fit.r = again.topLeftCorner(kept, kept);
    fit.x = Eigen::MatrixXd(fit.x(Eigen::all, found.kept));
    const std::vector<Index> columns = fit.column;
    const Terms all = fit.terms;
    fit.terms.clear();
    fit.column.clear();
    if (fit.plots.count() > 0) {
      std::vector<bool> between;
      for (const Index c : found.kept) between.push_back(fit.between[std::size_t(c)]);
      fit.between = std::move(between);
    }
    for (std::size_t t = 0; t < all.size(); ++t) {
      const auto at = std::find(found.kept.begin(), found.kept.end(), columns[t]);
      if (at == found.kept.end()) continue;
      fit.terms.push_back(all[t]);
      fit.column.push_back(at - found.kept.begin());
    }
  }
  const Index p = fit.size();
  fit.inverse = solve_upper(fit.r, Eigen::MatrixXd(Eigen::MatrixXd::Identity(p, p)));
  if (fit.constant) first[0] += offset * fit.r(0, 0);
  find_coefficients(space, data, first, fit);
  sums_of_squares(fit);
  return fit;
}

}  // namespace renth
