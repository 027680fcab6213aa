#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/workflow/kept_seek.hpp>

namespace renth {

/// A panel a goal: what was predicted of the best setting of each round, and what the solver then computed.
Gnuplot figure_history(Session& session, const DrawingOptions&, Notes&) {
  const Study& study = session.study;
  const std::vector<SeekRound> rounds = kept_history(session);
  if (rounds.empty())
    throw Error("the last seek was not followed up", "draw history", "renth seek --refine 5");
  std::vector<std::string> goals;
  for (const SeekRound& r : rounds)
    for (const auto& [response, value] : r.predicted)
      if (std::find(goals.begin(), goals.end(), response) == goals.end()) goals.push_back(response);
  Gnuplot g;
  begin_panels(g, int(goals.size()), "Following the best setting up",
               "each round's best by the surrogates, and what the solver computed there", 0.1);
  key_above(g, {{"predicted", 6, 1.2, colour::main}, {"computed", 7, 1.2, colour::accent}});
  for (std::size_t k = 0; k < goals.size(); ++k) {
    std::vector<std::vector<double>> rows;
    double low = INFINITY, high = -INFINITY;
    for (std::size_t i = 0; i < rounds.size(); ++i) {
      const auto p = rounds[i].predicted.find(goals[k]), c = rounds[i].computed.find(goals[k]);
      rows.push_back({double(i + 1), p == rounds[i].predicted.end() ? NAN : p->second,
                      c == rounds[i].computed.end() ? NAN : c->second});
      for (const double v : {rows.back()[1], rows.back()[2]})
        if (std::isfinite(v)) low = std::min(low, v), high = std::max(high, v);
    }
    g.block(fmt::format("round{}", k), rows);
    const int index = study.response(goals[k]);
    const std::string title = index < 0 ? goals[k]
                                        : with_unit(study.responses[std::size_t(index)].title(),
                                                    study.responses[std::size_t(index)].unit);
    g.line(fmt::format(
        "set xrange [0.5:{0}.5]\nset xtics 1\nset xlabel 'round'\nset ylabel {1}\n{2}\n"
        "plot $round{3} using 1:2 with linespoints pt 6 ps 1.4*ps lw 1.4 lc rgb '{4}', $round{3} using 1:3 "
        "with linespoints pt 7 "
        "ps 1.4*ps lw 2 lc rgb '{5}'",
        rounds.size(), quote(title), axis_range("y", low, high, 0.08), k, colour::main, colour::accent));
    forget_head(g);
  }
  end_panels(g);
  return g;
}

}  // namespace renth
