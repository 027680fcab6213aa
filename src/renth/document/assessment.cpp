#include <fmt/format.h>

#include <cmath>
#include <renth/document/assessment.hpp>
#include <renth/document/parts.hpp>

namespace renth {
namespace {

Json numbers_of(const Eigen::VectorXd& values) {
  Json out = Json::array();
  for (const double v : values) out.push_back(json_number(v));
  return out;
}

/// The variance that a share of the region does not exceed.
double at_share(const Assessment& a, double share) {
  for (const auto& [s, v] : a.variance.fraction)
    if (s >= share - 1e-9) return v;
  return NAN;
}

Figures variance_of(const Problem& study, const Assessment& a) {
  Rows fraction;
  for (const auto& [share, variance] : a.variance.fraction)
    fraction.push_back({number("share", "", share), number("variance", "", variance)});
  const bool some = !a.variance.fraction.empty();
  const auto or_null = [&](double v) { return some ? v : NAN; };
  Figures out = {number("min", "", or_null(a.variance.min)), number("mean", "", or_null(a.variance.mean)),
                 number("", "… half of the region below", at_share(a, 0.5)),
                 number("", "… 90 % of the region below", at_share(a, 0.9)),
                 number("max", "… the largest", or_null(a.variance.max))};
  if (some) out.push_back(raw("max_at", json_point(study, a.variance.max_at)));
  out.push_back(list("fraction", std::move(fraction)));
  return out;
}

}  // namespace

Figures evenness_figures(const Evenness& e) {
  return {number("min_distance", "smallest distance of two runs", e.min_distance),
          number("mean_distance", "", e.mean_distance),
          number("mean_nearest_distance", "mean distance to the nearest", e.mean_nearest),
          number("discrepancy_l2_centred", "centred L2 discrepancy", e.discrepancy),
          number("max_abs_correlation", "largest correlation of two columns", e.max_abs_correlation)};
}

Rows term_rows(const Problem& study, const Assessment& a) {
  Rows out;
  for (std::size_t t = 0; t < a.terms.size(); ++t) {
    const auto at = Eigen::Index(t);
    out.push_back({text("term", "term", name(study.space, a.terms[t])),
                   number("std_error_per_sigma", "std error/σ", a.information.std_error[at], 3),
                   number("vif", "VIF", a.information.vif[at], 3),
                   group("power", {number("1", "power 1σ", a.power1[at], 2),
                                   number("2", "power 2σ", a.power2[at], 2)})});
    if (a.whole_plots > 0) out.back().push_back(number("df", "error df", a.freedom[at], 3));
  }
  return out;
}

Figures assessment_figures(const Problem& study, const std::string& plan, const Assessment& a) {
  const Information& i = a.information;
  Rows aliases;
  for (const Alias& x : a.aliases)
    aliases.push_back(
        {text("term", "", x.term), text("with", "", x.with), number("correlation", "", x.correlation)});
  Figures out = {text("batch", "", plan),
                 whole("runs", "runs", a.runs),
                 whole("", "residual degrees of freedom", a.runs - std::int64_t(a.terms.size())),
                 text("model", "", describe(study.space, a.terms)),
                 list("terms", term_rows(study, a)),
                 number("log_det", "", i.log_det),
                 number("d_efficiency", "D-efficiency", i.d_efficiency),
                 number("a_efficiency", "A-efficiency", i.a_efficiency),
                 number("g_efficiency", "G-efficiency", a.g_efficiency),
                 number("i_value", "mean prediction variance / σ² (I)", i.i_value),
                 group("prediction_variance", variance_of(study, a)),
                 number("max_vif", "largest variance inflation", i.max_vif),
                 number("condition", "condition number", i.condition),
                 number("", "largest leverage", i.leverage.size() > 0 ? i.leverage.maxCoeff() : NAN),
                 raw("leverage", numbers_of(i.leverage)),
                 group("space", evenness_figures(a.evenness)),
                 list("aliases", std::move(aliases)),
                 number("block_correlation", "", a.block_correlation)};
  if (a.whole_plots > 0) out.push_back(whole("whole_plots", "whole plots", a.whole_plots));
  return out;
}

std::string side_by_side(const Problem& study,
                         const std::vector<std::pair<std::string, const Assessment*>>& plans) {
  std::vector<std::pair<std::string, Figures>> columns;
  for (const auto& [name, a] : plans) columns.emplace_back(name, assessment_figures(study, name, *a));
  return beside_each_other(columns);
}

std::string plan_verdict(const Assessment& a) {
  if (!a.information.estimable) return "cannot be fitted";
  if (Eigen::Index(a.terms.size()) == a.runs) return "fits exactly, with nothing left to check it";
  return fmt::format("a prediction is good to {} σ on average and {} σ at worst",
                     pretty(std::sqrt(a.information.i_value), 2), pretty(std::sqrt(a.variance.max), 2));
}

}  // namespace renth
