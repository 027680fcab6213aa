#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/base/undefined.hpp>
#include <renth/plan/assess.hpp>
#include <renth/space/hard.hpp>
#include <renth/terms/confounding.hpp>
#include <renth/terms/moments.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

std::vector<Alias> find_aliases(const Space& space, const Terms& model, Points points) {
  Terms all = model;
  const Terms more = space.size() <= 40 ? parse_terms(space, "quadratic") : Terms{};
  for (const Term& t : more)
    if (std::find(all.begin(), all.end(), t) == all.end()) all.push_back(t);
  Eigen::MatrixXd x = model_matrix(space, all, points);
  x.rowwise() -= x.colwise().mean().eval();
  for (Index t = 0; t < x.cols(); ++t) {
    const double norm = x.col(t).norm();
    x.col(t) *= norm > 1e-9 ? 1 / norm : 0;
  }
  std::vector<Alias> out;
  for (Index a = 0; a < Index(model.size()); ++a)
    for (Index b = a + 1; b < x.cols(); ++b) {
      const double r = x.col(a).dot(x.col(b));
      if (std::abs(r) >= 0.3)
        out.push_back(
            {name(space, all[std::size_t(a)]), name(space, all[std::size_t(b)]), std::clamp(r, -1.0, 1.0)});
    }
  std::stable_sort(out.begin(), out.end(), [](const Alias& a, const Alias& b) {
    return std::abs(a.correlation) > std::abs(b.correlation) + 1e-12;
  });
  return out;
}

double block_correlation(const Space& space, const Terms& terms, Points points,
                         const Eigen::VectorXi& blocks) {
  if (blocks.size() == 0 || blocks.minCoeff() == blocks.maxCoeff()) return 0;
  Eigen::MatrixXd x = model_matrix(space, terms, points);
  x.rowwise() -= x.colwise().mean().eval();
  double most = 0;
  for (Index t = 0; t < x.cols(); ++t) {
    const double whole = x.col(t).squaredNorm();
    if (whole < 1e-12) continue;
    double between = 0;
    for (int b = blocks.minCoeff(); b <= blocks.maxCoeff(); ++b) {
      double sum = 0, count = 0;
      for (Index i = 0; i < x.rows(); ++i)
        if (blocks[i] == b) sum += x(i, t), ++count;
      if (count > 0) between += sum * sum / count;
    }
    most = std::max(most, std::sqrt(between / whole));
  }
  return most;
}

/// The whole plots of runs, if anything is hard to set.
PlotErrors errors_of(const Space& space, const Eigen::VectorXi& blocks, double ratio) {
  if (hard_parameters(space).empty() || blocks.size() == 0 || blocks.minCoeff() == blocks.maxCoeff())
    return {};
  return {WholePlots(blocks), ratio};
}

/// Of the error that each term is judged by.
Eigen::VectorXd degrees_of_freedom(const Space& space, const Assessment& a) {
  const Index p = Index(a.terms.size());
  if (a.whole_plots == 0) return Eigen::VectorXd::Constant(p, double(a.runs - p));
  Eigen::VectorXd out(p);
  double between = 0;
  for (const Term& t : a.terms) between += between_plots(space, t);
  for (Index t = 0; t < p; ++t)
    out[t] = between_plots(space, a.terms[std::size_t(t)])
                 ? a.whole_plots - between
                 : double(a.runs - a.whole_plots) - (double(p) - between);
  return out;
}

void warn(const Space& space, Points points, Assessment& a) {
  const Index p = Index(a.terms.size());
  if (!a.information.estimable) {
    a.warnings.push_back("these runs cannot tell some terms apart: " + a.information.confounded);
    return;
  }
  if (a.runs == p)
    a.warnings.push_back(
        "as many runs as terms: whatever comes out is fitted exactly, and nothing is left to see how wrong "
        "it is");
  else if (a.runs < p + 4)
    a.warnings.push_back(
        fmt::format("{} residual degrees of freedom are few for an error estimate", a.runs - p));
  for (Index t = 0; a.whole_plots > 0 && t < p; ++t)
    if (between_plots(space, a.terms[std::size_t(t)]) && a.freedom[t] < 4) {
      a.warnings.push_back(fmt::format(
          "{} whole plots leave {:g} degrees of freedom to see how much setting the hard parameters anew "
          "scatters, so that their terms can hardly be judged: ask for more whole plots",
          a.whole_plots, std::max(0.0, a.freedom[t])));
      break;
    }
  if (a.information.max_vif > 10)
    a.warnings.push_back(fmt::format(
        "the largest variance inflation is {:.3g}: that coefficient can hardly be told from others",
        a.information.max_vif));
  const double highest = a.information.leverage.maxCoeff();
  if (a.runs > p && highest > 0.999)
    a.warnings.push_back("a run has leverage 1: its value is believed whatever it is");
  if (a.block_correlation > 1e-6)
    a.warnings.push_back(fmt::format("blocks are not orthogonal to the terms (correlation up to {:.2f})",
                                     a.block_correlation));
  Index outside = 0;
  for (Index i = 0; i < points.rows(); ++i)
    for (Index j = 0; j < space.size(); ++j)
      if (!space[j].is_choice() && std::abs(space.coded(j, points(i, j))) > 1 + 1e-9) {
        ++outside;
        break;
      }
  if (outside > 0) a.warnings.push_back(fmt::format("{} runs lie outside a span", outside));
}

}  // namespace

Assessment assess(const Space& space, Points points, const Eigen::VectorXi& blocks, const Terms& terms,
                  double ratio) {
  if (points.rows() < 1) throw Error("there are no runs to judge", "assess", "plan some");
  Assessment out;
  out.runs = points.rows();
  out.terms_chosen = terms.empty();
  out.terms = terms.empty() ? suggested_terms(space, points, blocks) : terms;
  const auto p = Index(out.terms.size());
  const Eigen::MatrixXd moments = region_moments(space, out.terms);
  const PlotErrors errors = errors_of(space, blocks, ratio);
  out.whole_plots = int(errors.plots.count());
  out.information = information(space, out.terms, points, moments, errors);
  out.freedom = degrees_of_freedom(space, out);
  out.power1.setConstant(p, undefined);
  out.power2.setConstant(p, undefined);
  out.g_efficiency = undefined;
  if (out.information.estimable) {
    for (Index t = 0; t < p; ++t) {
      out.power1[t] = power(out.information.std_error[t], out.freedom[t], 1);
      out.power2[t] = power(out.information.std_error[t], out.freedom[t], 2);
    }
    out.variance = prediction_variance(space, out.terms, out.information.inverse, moments);
    out.g_efficiency = double(p) / (double(out.runs) * out.variance.max);
  }
  out.evenness = evenness(space, points);
  out.aliases = find_aliases(space, out.terms, points);
  if (out.whole_plots == 0) out.block_correlation = block_correlation(space, out.terms, points, blocks);
  warn(space, points, out);
  return out;
}

}  // namespace renth
