#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <renth/fit/replicates.hpp>
#include <renth/numeric/dense.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/quality/anova.hpp>
#include <renth/surrogate/data.hpp>

namespace renth {
namespace {

using Eigen::Index;
constexpr double no_figure = std::numeric_limits<double>::quiet_NaN();

/// Columns of one source.
struct Source {
  std::string name;
  std::vector<Index> columns;
};

std::vector<Source> sources_of(const Space& space, const Regression& fit) {
  Source model{"model", {}}, blocks{"blocks", {}};
  std::vector<Source> groups = {{"linear", {}}, {"products", {}}, {"squares", {}}, {"higher", {}}};
  std::vector<Source> terms;
  for (Index b = 0; b < fit.block_columns; ++b) blocks.columns.push_back(fit.first_block + b);
  for (std::size_t t = 0; t < fit.terms.size(); ++t) {
    const Term& term = fit.terms[t];
    const int order = term.order();
    if (order == 0) continue;
    const Index column = fit.column[t];
    model.columns.push_back(column);
    groups[order == 1 ? 0 : order > 2 ? 3 : term.factors.size() == 2 ? 1 : 2].columns.push_back(column);
  }
  for (const TermGroup& g : group_contrasts(space, fit.terms)) {
    terms.push_back({g.name, {}});
    for (const std::size_t t : g.terms) terms.back().columns.push_back(fit.column[t]);
  }
  std::vector<Source> out = {model, blocks};
  out.insert(out.end(), groups.begin(), groups.end());
  out.insert(out.end(), terms.begin(), terms.end());
  out.erase(std::remove_if(out.begin() + 1, out.end(), [](const Source& s) { return s.columns.empty(); }),
            out.end());
  return out;
}

double partial_sum(const Regression& fit, const std::vector<Index>& columns) {
  const Eigen::VectorXd beta = fit.beta(columns).cast<double>();
  return beta.dot(PositiveFactor(fit.covariance(columns)).solve(beta).col(0));
}

/// The sum of squares that Σ x_j² takes from the residual; NaN where corners or centre runs are missing, or
/// the model bends already.
double curvature_sum(const Space& space, const Data& data, const Regression& fit, bool& axial) {
  int corners = 0, centres = 0;
  Eigen::VectorXd z = Eigen::VectorXd::Zero(fit.runs());
  for (Index i = 0; i < fit.runs(); ++i) {
    bool corner = true, centre = true;
    for (Index j = 0; j < space.size(); ++j) {
      if (space[j].is_choice()) continue;
      const double c = space.coded(j, data.inputs(i, j));
      corner = corner && std::abs(std::abs(c) - 1) < 1e-9;
      centre = centre && std::abs(c) < 1e-9;
      z[i] += c * c;
    }
    corners += corner;
    centres += centre && !corner;
    axial = axial || !(corner || centre);
  }
  for (const Term& t : fit.terms)
    for (const Factor& f : t.factors)
      if (f.power > 1) return no_figure;
  if (corners == 0 || centres == 0) return no_figure;
  z = fit.scaled(z);
  const double before = z.norm();
  for (int pass = 0; pass < 2; ++pass) {
    const Eigen::VectorXd half = solve_upper_transposed(fit.r, Eigen::VectorXd(fit.x.transpose() * z));
    z -= fit.x * solve_upper(fit.r, half);
  }
  if (z.norm() < 1e-8 * before) return no_figure;
  return std::pow(z.dot(fit.scaled(fit.residual)), 2) / z.squaredNorm();
}

}  // namespace

const AnovaRow* Anova::find(const std::string& source) const {
  const auto found =
      std::find_if(rows.begin(), rows.end(), [&](const AnovaRow& r) { return r.source == source; });
  return found == rows.end() ? nullptr : &*found;
}

Anova analyse_variance(const Space& space, const Data& data, const Regression& fit) {
  Anova out;
  const double df = fit.degrees_of_freedom(), mse = fit.sigma2();
  // The squares of R·β add up to what the model explains, in the order of the columns.
  const Extended effects = fit.r.cast<long double>() * fit.beta;
  const auto row = [&](std::string source, double d, double ss, double sequential, double against,
                       double against_df) {
    AnovaRow r{std::move(source),          d,         ss,        sequential,
               d > 0 ? ss / d : no_figure, no_figure, no_figure, no_figure};
    if (d > 0 && against_df > 0) {
      r.f = r.ms / against;
      r.p = fisher_f_upper(r.f, d, against_df);
    }
    r.share = fit.sst > 0 ? sequential / fit.sst : no_figure;
    out.rows.push_back(std::move(r));
  };
  for (const Source& s : sources_of(space, fit)) {
    double sequential = 0;
    for (const Index c : s.columns) sequential += double(effects[c] * effects[c]);
    row(s.name, double(s.columns.size()), s.columns.empty() ? 0 : partial_sum(fit, s.columns), sequential,
        mse, fit.freedom_of(s.columns));
  }
  const PureError pure = pure_error(data, fit.y, fit.root);
  out.pure_error = pure.ss;
  out.pure_error_df = pure.df;
  const double pure_df = out.pure_error_df, lack_df = df - pure_df, pure_ms = out.pure_error / pure_df;
  row("residual", df, fit.sse, fit.sse, no_figure, 0);
  out.curvature_p = out.lack_of_fit_p = no_figure;
  const double curved = df > 0 ? curvature_sum(space, data, fit, out.axial_runs) : no_figure;
  if (std::isfinite(curved)) {
    if (pure_df > 0)
      row("curvature", 1, curved, curved, pure_ms, pure_df);
    else
      row("curvature", 1, curved, curved, std::max(0.0, fit.sse - curved) / (df - 1), df - 1);
    out.curvature_p = out.rows.back().p;
  }
  if (pure_df > 0) {
    const double lack = std::max(0.0, fit.sse - out.pure_error);
    row("lack_of_fit", lack_df, lack_df > 0 ? lack : no_figure, lack_df > 0 ? lack : no_figure, pure_ms,
        pure_df);
    out.lack_of_fit_p = out.rows.back().p;
    row("pure_error", pure_df, out.pure_error, out.pure_error, no_figure, 0);
  } else {
    row("lack_of_fit", 0, no_figure, no_figure, no_figure, 0);
    row("pure_error", 0, no_figure, no_figure, no_figure, 0);
  }
  row("total", double(fit.runs()) - (fit.constant ? 1 : 0), fit.sst, fit.sst, no_figure, 0);
  return out;
}

}  // namespace renth
