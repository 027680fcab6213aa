#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/text_table.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/workflow/kept_seek.hpp>

namespace renth {
namespace {

/// One upright axis: a goal or a parameter, with its values along the front.
struct Upright {
  std::string title;
  Eigen::VectorXd values;
  double low = 0, high = 1;
  std::string low_text, high_text;
  std::vector<std::string> names;  ///< of a choice
};

std::vector<Upright> uprights(const Study& study, const KeptFront& front) {
  std::vector<Upright> out;
  for (std::size_t g = 0; g < front.goals.size(); ++g) {
    const Response& r = study.responses[std::size_t(front.goals[g].response)];
    Upright u{with_unit(r.name, r.unit), front.means.col(Eigen::Index(g))};
    u.low = u.values.minCoeff();
    u.high = u.values.maxCoeff();
    // Better is up.
    if (front.goals[g].aim == Goal::Aim::minimise) std::swap(u.low, u.high);
    out.push_back(std::move(u));
  }
  for (Eigen::Index j = 0; j < study.space.size(); ++j) {
    const Parameter& p = study.space[j];
    Upright u{with_unit(p.name, p.unit), front.points.col(j), p.low, p.high};
    u.names = p.choices;
    out.push_back(std::move(u));
  }
  for (Upright& u : out) {
    u.low_text = u.names.empty() ? pretty(u.low, 4) : u.names.front();
    u.high_text = u.names.empty() ? pretty(u.high, 4) : u.names.back();
  }
  return out;
}

}  // namespace

Gnuplot figure_parallel(Session& session, const DrawingOptions&, Notes& notes) {
  const Study& study = session.study;
  const KeptFront front = kept_front(session);
  if (!front.up_to_date)
    add_note(notes, "out_of_date",
             "runs, surrogates or the study have changed since the front was found: renth seek --front");
  const std::vector<Upright> axes = uprights(study, front);
  Gnuplot g;
  head(g, fmt::format("Trade-off of {} settings: goals, then parameters", front.points.rows()),
       "a line a setting, darker the better in the first goal; goals: better is up; parameters: over their "
       "spans; orange: the knee");
  std::vector<std::vector<double>> lines, knee;
  const auto place = [&](std::size_t a, Eigen::Index i) {
    const Upright& u = axes[a];
    return u.high != u.low ? (u.values[i] - u.low) / (u.high - u.low) : 0.5;
  };
  for (Eigen::Index i = 0; i < front.points.rows(); ++i) {
    for (std::size_t a = 0; a < axes.size(); ++a) {
      lines.push_back({double(a), place(a, i), place(0, i)});
      if (front.knee[std::size_t(i)]) knee.push_back({double(a), place(a, i)});
    }
    lines.push_back({});
  }
  g.block("lines", lines);
  std::string tics, labels;
  const double count = double(axes.size());
  for (std::size_t a = 0; a < axes.size(); ++a) {
    tics += fmt::format("{}{} {}", a ? ", " : "", quote(axes[a].title), a);
    labels += fmt::format("set arrow {0} from {1},0 to {1},1 nohead lw 1 lc rgb '{2}' front\n", a + 1, a,
                          colour::quiet);
    labels += fmt::format("set label {} {} at {},-0.035 center font ',11' tc rgb '{}'\n", 2 * a + 1,
                          quote(axes[a].low_text), a, colour::ink);
    labels += fmt::format("set label {} {} at {},1.035 center font ',11' tc rgb '{}'\n", 2 * a + 2,
                          quote(axes[a].high_text), a, colour::ink);
  }
  g.line(
      fmt::format("set xrange [-0.4:{}]\nset yrange [-0.08:1.08]\nunset ytics\nunset ylabel\nset xlabel "
                  "''\nunset grid\nset border 0\n"
                  "set xtics ({}) scale 0 font ',11'{}\nset lmargin at screen 0.02\nset rmargin at screen "
                  "0.985\nset bmargin at screen "
                  "{}\nunset colorbox\nunset key\n"
                  "set palette defined (0 '#c3d3e2', 1 '{}')\nset cbrange [0:1]\n{}",
                  count - 0.6, tics, axes.size() > 9 ? " rotate by 30 right" : "",
                  axes.size() > 9 ? 0.2 : 0.1, colour::main, labels));
  std::string plot = "plot $lines using 1:2:3 with lines lw 1.4 lc palette";
  if (!knee.empty()) {
    g.block("knee", knee);
    plot +=
        fmt::format(", $knee using 1:2 with linespoints pt 7 ps 1.2*ps lw 2.6 lc rgb '{}'", colour::accent);
  }
  g.line(plot);
  return g;
}

}  // namespace renth
