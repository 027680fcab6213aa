#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/figures.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/workflow/ranking.hpp>

namespace renth {
namespace {

/// One panel a response: how far each parameter alone moves it from the value at the setting.
Gnuplot draw_swings(const Study& study, const RankResult& rank, const Predictor& predictor) {
  constexpr std::size_t most = 14;
  Gnuplot g;
  begin_panels(
      g, int(rank.responses.size()), "What each parameter does alone",
      fmt::format("from {}: blue at the low end of its way, orange at the high one; pale: what it passes",
                  held_values(study, rank.at, {})),
      0.155);
  for (std::size_t i = 0; i < rank.responses.size(); ++i) {
    const auto& one = rank.responses[i];
    const Response& r = study.responses[std::size_t(study.response(one.response))];
    const double here =
        predictor.mean_of(study.response(one.response), rank.at.transpose()).rowwise().mean()(0, 0);
    std::vector<std::vector<double>> rows;
    std::string tics;
    double low = here, high = here;
    for (std::size_t k = 0; k < std::min(most, one.ranking.parameters.size()); ++k) {
      const RankedParameter& p = one.ranking.parameters[k];
      const double y = -double(k), least = measure_of(p, "smallest").value,
                   largest = measure_of(p, "largest").value;
      const bool ends = !study.space[p.parameter].is_choice();
      rows.push_back({y, least, largest, ends ? measure_of(p, "at_low").value : undefined,
                      ends ? measure_of(p, "at_high").value : undefined});
      low = std::min(low, least);
      high = std::max(high, largest);
      tics += fmt::format("{}{} {}", k ? ", " : "", quote(study.space[p.parameter].title()), y);
    }
    g.block(fmt::format("swings{}", i), rows);
    g.line(fmt::format("set title {} offset 0,-0.4", quote(r.title())));
    g.line(
        fmt::format("set xlabel {} offset 0,0.4\n{}\nset yrange [{}:0.6]\nset ytics ({})\nset grid noytics\n"
                    "set arrow 1 from {},graph 0 to {},graph 1 nohead lw 1.4 lc rgb '{}' front",
                    quote(with_unit(r.title(), r.unit)), axis_range("x", low, high, 0.05),
                    -double(rows.size()) + 0.4, tics, here, here, colour::ink));
    g.line(fmt::format(
        "plot $swings{0} using 2:1:2:3:($1-0.32):($1+0.32) with boxxyerror fc rgb '{1}', "
        "$swings{0} using 4:1:($4<{4}?$4:{4}):($4<{4}?{4}:$4):($1-0.2):($1+0.2) with boxxyerror fc rgb "
        "'{2}', "
        "$swings{0} using 5:1:($5<{4}?$5:{4}):($5<{4}?{4}:$5):($1-0.2):($1+0.2) with boxxyerror fc rgb '{3}'",
        i, colour::band, colour::main, colour::accent, here));
    g.line("unset arrow 1");
    forget_head(g);
  }
  end_panels(g);
  return g;
}

}  // namespace

Gnuplot figure_swings(Session& session, const DrawingOptions& options, Notes& notes) {
  const RankResult rank = rank_responses(session, {.method = "local",
                                                   .responses = options.responses,
                                                   .options = {.level = options.level},
                                                   .at = setting_held(session, options),
                                                   .seed = options.seed});
  notes = rank.notes;
  const FittedStudy fitted(session, options.responses);
  return draw_swings(session.study, rank, fitted.predictor());
}

}  // namespace renth
