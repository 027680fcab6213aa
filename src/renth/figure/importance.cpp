#include <fmt/format.h>

#include <algorithm>
#include <renth/document/figures.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/workflow/ranking.hpp>

namespace renth {
namespace {

/// One panel a response: shares of variance as bars with their intervals.
Gnuplot draw_importance(const Study& study, const RankResult& rank) {
  Gnuplot g;
  const bool shapley = !rank.responses.empty() && rank.responses[0].ranking.method == "shapley";
  begin_panels(g, static_cast<int>(rank.responses.size()), "What each parameter is responsible for",
               fmt::format("share of the response's variance{}; line: {} interval",
                           shapley ? " over the allowed region (Shapley effects)"
                                   : ": dark alone, pale with its interactions",
                           level_text(rank.level)),
               0.155);
  for (std::size_t i = 0; i < rank.responses.size(); ++i) {
    const auto& one = rank.responses[i];
    const Response& r = study.responses[study.response(one.response)];
    std::vector<std::vector<double>> rows;
    std::string tics;
    double most = 0.05;
    for (std::size_t k = 0; k < one.ranking.parameters.size(); ++k) {
      const RankedParameter& p = one.ranking.parameters[k];
      const double y = -static_cast<double>(k);
      rows.push_back({y, 100 * p.share, 100 * p.low, 100 * p.high, 100 * (shapley ? p.share : p.total)});
      most = std::max({most, p.high, shapley ? 0 : p.total});
      const std::string arrow = p.direction == "up" ? " ↑" : p.direction == "down" ? " ↓" : "";
      tics += fmt::format("{}{} {}", tics.empty() ? "" : ", ",
                          quote(study.space[p.parameter].title() + arrow), y);
    }
    g.block(fmt::format("bars{}", i), rows);
    g.line(fmt::format("set title {} offset 0,-0.4", quote(r.title())));
    g.line(
        fmt::format("set xlabel 'share of variance [%]' offset 0,0.4\nset xrange [0:{}]\nset yrange "
                    "[{}:0.6]\nset ytics ({})\nset grid noytics",
                    std::min(104.0, 108 * most), -static_cast<double>(rows.size()) + 0.4, tics));
    g.line(
        fmt::format("plot $bars{0} using 5:1:(0):5:($1-0.32):($1+0.32) with boxxyerror fc rgb '{1}', "
                    "$bars{0} using 2:1:(0):2:($1-0.32):($1+0.32) with boxxyerror fc rgb '{2}', "
                    "$bars{0} using 2:1:3:4 with xerrorbars pt -1 lw 1.6 lc rgb '{3}'",
                    i, colour::band, colour::main, colour::accent));
    forget_head(g);
  }
  end_panels(g);
  return g;
}

}  // namespace

Gnuplot figure_importance(Session& session, const DrawingOptions& options, Notes& notes) {
  const RankResult rank = rank_responses(session, {.method = "shares",
                                                   .responses = options.responses,
                                                   .options = {.level = options.level},
                                                   .seed = options.seed});
  notes = rank.notes;
  return draw_importance(session.study, rank);
}

}  // namespace renth
