#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/figures.hpp>
#include <renth/document/parts.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/workflow/ranking.hpp>

namespace renth {
namespace {

const RankedParameter& ranked(const Ranking& ranking, Eigen::Index j) {
  return *std::find_if(ranking.parameters.begin(), ranking.parameters.end(),
                       [&](const RankedParameter& p) { return p.parameter == j; });
}

/// Those that matter most anywhere, in an order that shows structure.
std::vector<Eigen::Index> shown_parameters(const RankResult& rank, Eigen::Index all) {
  constexpr std::size_t most = 30;
  std::vector<Eigen::Index> order = parameters_by_structure(rank, all);
  std::vector<std::pair<double, Eigen::Index>> largest;
  for (const Eigen::Index j : order) {
    double share = 0;
    for (const auto& one : rank.responses)
      if (const double s = ranked(one.ranking, j).share; s > share) share = s;
    largest.emplace_back(-share, j);
  }
  std::stable_sort(largest.begin(), largest.end(),
                   [](const auto& a, const auto& b) { return a.first < b.first; });
  for (std::size_t k = most; k < largest.size(); ++k) std::erase(order, largest[k].second);
  return order;
}

/// A rectangle a parameter and response: dark where it matters, with the direction where there is room.
Gnuplot draw_matrix(const Study& study, const RankResult& rank) {
  const std::vector<Eigen::Index> order = shown_parameters(rank, study.space.size());
  const auto rows = int(order.size()), columns = int(rank.responses.size());
  const bool narrow = columns > 16;
  std::vector<std::vector<double>> cells, numbers;
  std::string across, upwards;
  for (int row = 0; row < rows; ++row) {
    const Eigen::Index j = order[std::size_t(rows - 1 - row)];
    upwards += fmt::format("{}{} {}", row ? ", " : "", quote(study.space[j].title()), row);
    for (int column = 0; column < columns; ++column) {
      const RankedParameter& p = ranked(rank.responses[std::size_t(column)].ranking, j);
      cells.push_back({double(column), double(row), std::isnan(p.share) ? 0 : p.share});
      const double way = narrow                   ? 0
                         : p.direction == "up"    ? 1
                         : p.direction == "down"  ? 2
                         : p.direction == "mixed" ? 3
                                                  : 0;
      if (p.share >= (narrow ? 0.01 : 0.0005) || way > 0)
        numbers.push_back({double(column), double(row), 100 * p.share, way, p.share > 0.55 ? 1.0 : 0.0});
    }
  }
  for (int column = 0; column < columns; ++column) {
    const auto& one = rank.responses[std::size_t(column)];
    const std::string mark = one.verdict == Verdict::unfit ? " (unfit)" : "";
    across += fmt::format("{}{} {}", column ? ", " : "",
                          quote(response_of(study, one.response).title() + mark), column);
  }
  Gnuplot g;
  g.block("cells", cells).block("numbers", numbers);
  head(g, "What matters to which response",
       fmt::format("{}share of each response's variance [%]{}",
                   rows < study.space.size() ? fmt::format("the {} parameters that matter most; ", rows) : "",
                   narrow ? "" : "; ↑ it rises with the parameter, ↓ it falls, ↕ both or a choice"));
  const int most = std::max(rows, columns);
  g.line(
      "set palette defined (0 '#ffffff', 0.05 '#eaf0f6', 0.3 '#bcd0e4', 0.6 '#6f97c0', 1 '#173f69')\nset "
      "cbrange "
      "[0:1]\nunset colorbox\nset style fill solid 1 noborder\nset lmargin at screen 0.2\nset bmargin at "
      "screen "
      "0.24\nset rmargin at screen 0.96");
  g.line(fmt::format(
      "set xrange [-0.5:{}]\nset yrange [-0.5:{}]\nset xtics rotate by 35 right scale 0 font ',{}' ({})\n"
      "set ytics scale 0 font ',{}' ({})\nunset grid",
      columns - 0.5, rows - 0.5, most > 25 ? 8 : 12, across, most > 25 ? 8 : 12, upwards));
  g.line(
      fmt::format("plot $cells using 1:2:(0.5):(0.5):3 with boxxyerror lc palette, $numbers using 1:2:"
                  "(sprintf(($3<9.95&&{})?'%.1f %s':'%.0f %s',$3,$4==1?'↑':$4==2?'↓':$4==3?'↕':'')):"
                  "($5>0?0xffffff:0x22303c) with labels font ',{}' tc rgb variable",
                  narrow ? 0 : 1, most > 25 ? 7 : 12));
  return g;
}

}  // namespace

Gnuplot figure_importance_matrix(Session& session, const DrawingOptions& options, Notes& notes) {
  const RankResult rank = rank_responses(
      session, {.responses = options.responses, .options = {.level = options.level}, .seed = options.seed});
  notes = rank.notes;
  return draw_matrix(session.study, rank);
}

}  // namespace renth
