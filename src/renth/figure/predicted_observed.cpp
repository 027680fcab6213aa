#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/figure/label_places.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/workflow/trusting.hpp>

namespace renth {
namespace {

/// What there is in a panel besides the fitted runs. gnuplot 5.4 crashes on labels without a point.
struct Shown {
  bool left_out = false, check = false;
};

/// Puts the runs of one panel where its plot looks for them.
Shown add_runs(Gnuplot& g, const TrustResult::OfResponse& one, std::size_t i, double width, double& least,
               double& most) {
  // Runs that could not be left out are shown as fitted only.
  std::vector<std::vector<double>> fit, fitted, check, worst;
  std::vector<ResidualRow> by_distance;
  double low = INFINITY, high = -INFINITY;
  const auto add = [&](double observed, double predicted, std::vector<std::vector<double>>& to) {
    to.push_back({observed, predicted});
    low = std::min({low, observed, predicted});
    high = std::max({high, observed, predicted});
  };
  for (const ResidualRow& row : one.residuals) {
    add(row.observed, row.fitted, fitted);
    if (!std::isfinite(row.cross_validated)) continue;
    add(row.observed, row.cross_validated, fit);
    by_distance.push_back(row);
  }
  for (const ResidualRow& row : one.check) add(row.observed, row.cross_validated, check);
  // Far from the line as it is drawn, not in per cent: small values would crowd the labels.
  std::stable_sort(by_distance.begin(), by_distance.end(), [](const ResidualRow& a, const ResidualRow& b) {
    return std::abs(a.observed - a.cross_validated) > std::abs(b.observed - b.cross_validated);
  });
  const double spare = std::max(0.05 * (high - low), 1e-12);
  Eigen::MatrixX2d all(Eigen::Index(fit.size() + check.size()), 2);
  for (std::size_t k = 0; k < fit.size() + check.size(); ++k) {
    const std::vector<double>& p = k < fit.size() ? fit[k] : check[k - fit.size()];
    all.row(Eigen::Index(k)) << p[0], p[1];
  }
  std::vector<Eigen::Vector2d> taken;
  const Canvas canvas{low - spare, high + spare, low - spare, high + spare, width, 240};
  for (std::size_t k = 0; k < by_distance.size() && k < 3; ++k) {
    const Eigen::Vector2d at =
        label_place({by_distance[k].observed, by_distance[k].cross_validated}, all, canvas, taken);
    worst.push_back({at.x(), at.y(), static_cast<double>(by_distance[k].id)});
  }
  g.block(fmt::format("fit{}", i), fit)
      .block(fmt::format("fitted{}", i), fitted)
      .block(fmt::format("check{}", i), check)
      .block(fmt::format("worst{}", i), worst);
  least = low - spare;
  most = high + spare;
  return {!fit.empty(), !check.empty()};
}

void panel(Gnuplot& g, const Study& study, const TrustResult::OfResponse& one, std::size_t i, double width) {
  const Response& r = study.responses[study.response(one.model.response)];
  double low = 0, high = 0;
  const Shown shown = add_runs(g, one, i, width, low, high);
  const std::string q2 =
      std::isfinite(one.model.quality.q2) ? fmt::format("Q² {:.3f}", one.model.quality.q2) : "Q² undefined";
  g.line(fmt::format("set title {} offset 0,-0.4",
                     quote(fmt::format("{}: {}  ({}, {})", r.title(), name(one.model.judgement.verdict),
                                       one.model.kind, q2))));
  g.line(fmt::format(
      "set xlabel {} offset 0,0.4\nset ylabel {} offset 0.8,0",
      quote(with_unit("observed", r.unit) +
            (shown.check ? fmt::format(" of {} runs, and {} to check", one.model.runs,
                                       one.model.quality.check ? one.model.quality.check->runs : 0)
                         : fmt::format(" of {} runs", one.model.runs))),
      quote(with_unit("predicted", r.unit))));
  g.line(fmt::format("set xrange [{}:{}]\nset yrange [{}:{}]\nunset key", low, high, low, high));
  g.line(fmt::format(
      "plot x lc rgb '{0}' lw 1.2, 1.1*x dt 2 lc rgb '{1}', 0.9*x dt 2 lc rgb '{1}', 1.05*x dt 3 lc rgb "
      "'{1}', 0.95*x dt 3 lc rgb '{1}', $fitted{2} using 1:2 with points pt 6 ps 0.7*ps lc rgb '{1}'{3}{4}",
      colour::ink, colour::quiet, i,
      shown.left_out
          ? fmt::format(", $fit{0} using 1:2 with points pt 7 ps 1.0*ps lc rgb '{1}', $worst{0} using "
                        "1:2:(sprintf('%d',int($3))) with labels center font ',11' tc rgb '{2}'",
                        i, colour::main, colour::ink)
          : "",
      shown.check
          ? fmt::format(", $check{} using 1:2 with points pt 9 ps 1.3*ps lc rgb '{}'", i, colour::accent)
          : ""));
  forget_head(g);
}

/// One panel a response: cross-validated predictions against what was observed, check runs apart, the
/// runs that are worst labelled. On the dashed lines a prediction is 10 % off.
Gnuplot draw_predicted_observed(const Study& study, const TrustResult& trust) {
  Gnuplot g;
  begin_panels(g, static_cast<int>(trust.responses.size()), "Predicted against observed",
               "each run predicted by a surrogate that has not seen it; dashed: 10 % off, dotted: 5 %; "
               "numbers: the runs "
               "that are worst");
  key_above(g, {{"as fitted", 6, 0.7, colour::quiet},
                {"left out in turn", 7, 1.0, colour::main},
                {"to check", 9, 1.3, colour::accent}});
  const auto panels = double(panel_columns(int(trust.responses.size())));
  for (std::size_t i = 0; i < trust.responses.size(); ++i)
    panel(g, study, trust.responses[i], i, 1280 * (0.9 / panels - 0.08));
  end_panels(g);
  return g;
}

}  // namespace

Gnuplot figure_predicted_observed(Session& session, const DrawingOptions& options, Notes& notes) {
  const TrustResult trust = trust_responses(
      session, {options.responses, options.level, options.target, TrustOptions::Learning::never});
  notes = trust.notes;
  return draw_predicted_observed(session.study, trust);
}

}  // namespace renth
