#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// Where bins meet, and the yields of each as steps with their intervals.
void yield_panel(Gnuplot& g, const ToleranceAnswer& a, const ParameterCost& p, double target, int panel) {
  const Parameter& q = a.space[p.parameter];
  std::vector<std::vector<double>> steps, density;
  double low = 1, most = 0;
  const double share = 1.0 / double(p.bins.size());
  const bool values = p.bins.front().from == p.bins.front().to;
  double left = p.bins.front().from, right = p.bins.back().to, gap = 1;
  if (values && p.bins.size() > 1) gap = (right - left) / double(p.bins.size() - 1);
  for (const auto& b : p.bins) {
    const double from = values ? b.from - 0.3 * gap : b.from, to = values ? b.to + 0.3 * gap : b.to;
    steps.push_back({from, to, b.yield.value, b.yield.low, b.yield.high});
    low = std::min(low, b.yield.low);
    const double height = share / std::max(1e-300, to - from);
    density.push_back({from, to, height});
    most = std::max(most, height);
  }
  low = std::clamp(std::min(low, target - 0.02) - 0.02, 0.0, 0.98);
  // The scatter stands in the lowest sixth.
  const double room = (1.01 - low) / 5, floor = low - room;
  for (auto& d : density) d[2] = floor + 0.8 * room * d[2] / most;
  g.block(fmt::format("yield{}", panel), steps).block(fmt::format("drift{}", panel), density);
  const double spare = values ? 0.5 * gap : 0.02 * (right - left);
  g.line(
      fmt::format("set xlabel {} offset 0,0.4\nset ylabel 'in specification [%]' offset 1,0\nset xrange "
                  "[{}:{}]\nset yrange "
                  "[{}:{}]\nset xtics autofreq\nset ytics 0,20,100",
                  quote(with_unit(q.title(), q.unit)), left - spare, right + spare, 100 * floor, 101.0));
  if (q.is_choice()) {
    std::string tics;
    for (std::size_t c = 0; c < q.choices.size(); ++c)
      tics += fmt::format("{}{} {}", c ? ", " : "", quote(q.choices[c]), c);
    g.line("set xtics (" + tics + ")");
  }
  g.line(fmt::format(
      "plot $drift{0} using (($1+$2)/2):(100*$3):1:2:({1}):(100*$3) with boxxyerror fs solid fc rgb "
      "'#d9dee3' lc rgb '#d9dee3', "
      "$yield{0} using 1:(100*$3):1:2:(100*$4):(100*$5) with boxxyerror fs solid fc rgb '{2}' lc rgb '{2}', "
      "$yield{0} using 1:(100*$3):($2-$1):(0) with vectors nohead lw 2.4 lc rgb '{3}', {4} with lines lw 1.6 "
      "dt (8,4) lc rgb '{5}', "
      "$here{0} using 1:2 with impulses lw 0 notitle",
      panel, 100 * floor, colour::band, colour::main, 100 * target, colour::accent));
}

}  // namespace

/// The yield against each parameter's real value, all others scattering, with how often that happens beneath.
Gnuplot figure_yield(Session& session, const DrawingOptions& options, Notes& notes) {
  const ToleranceAnswer a = tolerance_of(session, production_asked(options));
  notes = a.notes;
  std::vector<ParameterCost> costs = a.result.parameters;
  std::erase_if(costs, [](const ParameterCost& p) { return p.bins.size() < 2; });
  if (costs.empty())
    throw Error("no parameter has scatter", "draw yield", "give one some, or --set p=normal:0.05");
  std::stable_sort(costs.begin(), costs.end(),
                   [](const auto& x, const auto& y) { return x.cost.value > y.cost.value; });
  constexpr std::size_t most = 9;
  if (costs.size() > most) costs.resize(most);
  Gnuplot g;
  begin_panels(g, int(costs.size()),
               fmt::format("Yield {:.1f} % at {}", 100 * a.result.yield.value, a.setting),
               fmt::format("{}; yield by the real value of each parameter, all else scattering, dearest "
                           "first; pale: its {:.0f} % "
                           "interval; grey: how often the value happens; dashed: {:.4g} %",
                           held_values(session.study, a.result.at, {}), 100 * a.level, 100 * options.within),
               0.07);
  for (std::size_t k = 0; k < costs.size(); ++k) {
    g.block(fmt::format("here{}", k), {{a.result.at[costs[k].parameter], 0}});
    yield_panel(g, a, costs[k], options.within, int(k));
    forget_head(g);
  }
  end_panels(g);
  return g;
}

namespace {

void spread_panel(Gnuplot& g, const Response& response, const Accept& accept, const ResponseSpread& r,
                  int panel) {
  std::vector<std::vector<double>> rows;
  double low = r.histogram.front().from, high = r.histogram.back().to, most = 0;
  for (const auto& bin : r.histogram) most = std::max(most, bin.share);
  const double width = high - low;
  for (const auto& limit : {accept.min, accept.max})
    if (limit && *limit > low - 1.5 * width && *limit < high + 1.5 * width)
      low = std::min(low, *limit), high = std::max(high, *limit);
  for (const auto& bin : r.histogram) {
    const double middle = 0.5 * (bin.from + bin.to);
    rows.push_back({bin.from, bin.to, 100 * bin.share, accept.holds(middle) ? 0.0 : 1.0});
  }
  g.block(fmt::format("spread{}", panel), rows);
  g.line(fmt::format(
      "set title {} offset 0,-0.4",
      quote(accept.any() ? fmt::format("{}: {:.1f} % in specification", response.title(), 100 * r.yield.value)
                         : response.title())));
  g.line(fmt::format("set xlabel {} offset 0,0.4\n{}\nset yrange [0:{}]\nset ylabel 'share [%]' offset 1,0",
                     quote(with_unit(response.title(), response.unit)), axis_range("x", low, high, 0.05),
                     115 * most));
  int arrow = 1;
  for (const auto& limit : {accept.min, accept.max})
    if (limit)
      g.line(fmt::format("set arrow {} from {},graph 0 to {},graph 1 nohead lw 2 dt (8,4) lc rgb '{}' front",
                         arrow++, *limit, *limit, colour::accent));
  g.line(fmt::format(
      "plot $spread{0} using ($4==0?$1:1/0):(0):1:2:(0):3 with boxxyerror fs solid fc rgb '{1}' lc rgb "
      "'#ffffff' lw 0.4, $spread{0} using "
      "($4==1?$1:1/0):(0):1:2:(0):3 with boxxyerror fs solid fc rgb '#e9b98f' lc rgb '#ffffff' lw 0.4",
      panel, "#7fa3c7"));
  while (--arrow > 0) g.line(fmt::format("unset arrow {}", arrow));
}

}  // namespace

/// The distribution of each response under scatter, with its limits.
Gnuplot figure_scatter(Session& session, const DrawingOptions& options, Notes& notes) {
  ToleranceRequest request = production_asked(options);
  request.options.per_parameter = request.options.surrogate_error = false;
  const ToleranceAnswer a = tolerance_of(session, request);
  notes = a.notes;
  std::vector<ResponseSpread> shown = a.result.responses;
  std::erase_if(shown, [&](const ResponseSpread& r) {
    return r.histogram.empty() || (!options.responses.empty() &&
                                   std::count(options.responses.begin(), options.responses.end(),
                                              session.study.responses[std::size_t(r.response)].name) == 0);
  });
  if (shown.empty())
    throw Error("no response to be shown moves under scatter", "draw scatter",
                "name one with a goal or accept limits");
  constexpr std::size_t most = 9;
  if (shown.size() > most) shown.resize(most);
  Gnuplot g;
  begin_panels(g, int(shown.size()),
               fmt::format("What is made: {:.1f} % in specification", 100 * a.result.yield.value),
               fmt::format("{} at {}; orange: out of specification by this response alone; dashed: limits",
                           a.from_runs ? "runs" : fmt::format("{} draws", a.result.samples), a.setting),
               0.07);
  for (std::size_t k = 0; k < shown.size(); ++k) {
    const Response& response = session.study.responses[std::size_t(shown[k].response)];
    spread_panel(g, response, a.accept[std::size_t(shown[k].response)], shown[k], int(k));
    forget_head(g);
  }
  end_panels(g);
  return g;
}

ToleranceRequest production_asked(const DrawingOptions& options) {
  ToleranceRequest out;
  out.setting = options.held;
  out.batch = options.batch;
  out.set = options.set;
  out.accept = options.accept;
  out.options.level = options.level;
  out.seed = options.seed;
  return out;
}

WindowRequest window_asked(const DrawingOptions& options) {
  WindowRequest out;
  out.within = options.within;
  out.centre = options.held;
  out.set = options.set;
  out.accept = options.accept;
  out.level = options.level;
  out.seed = options.seed;
  return out;
}

}  // namespace renth
