#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/text_table.hpp>
#include <renth/figure/layout.hpp>

namespace renth {
namespace {

void words(Gnuplot& g, const std::string& title, const std::string& subtitle) {
  g.line(fmt::format("set label 1001 {} at screen 0.03, screen 0.963 left font ',17' tc rgb '{}' front",
                     quote(title), colour::ink));
  // At most two quiet lines, broken between phrases.
  constexpr std::size_t most = 145;
  std::string lines[2] = {subtitle, ""};
  if (subtitle.size() > most) {
    std::size_t at = subtitle.rfind("; ", most);
    if (at == std::string::npos) at = subtitle.rfind(' ', most);
    lines[0] = subtitle.substr(0, at + 1);
    lines[1] = subtitle.substr(subtitle.find_first_not_of(' ', at + 1));
  }
  for (int i = 0; i < 2; ++i)
    g.line(fmt::format("set label {} {} at screen 0.03, screen {} left font ',12' tc rgb '#5a6570' front",
                       1002 + i, quote(lines[i]), 0.926 - 0.026 * i));
}

}  // namespace

int panel_columns(int panels) {
  return panels <= 1 ? 1 : panels <= 4 ? 2 : 3;
}

void begin_panels(Gnuplot& g, int panels, const std::string& title, const std::string& subtitle,
                  double label_room) {
  const int columns = panel_columns(panels), rows = (panels + columns - 1) / columns;
  g.line(fmt::format("set multiplot layout {},{} margins {},0.975,0.09,0.835 spacing {},{}", rows, columns,
                     label_room, label_room + 0.01, rows > 2 ? 0.115 : 0.14));
  words(g, title, subtitle);
}

void only_first_labelled(Gnuplot& g, int panel, int panels, const std::string& words) {
  const bool first = panel % panel_columns(panels) == 0;
  g.line(first ? fmt::format("set ylabel {} offset 1,0", quote(words)) : "unset ylabel");
}

void key_above(Gnuplot& g, const std::vector<KeyItem>& items) {
  constexpr double letter = 0.0068, sign = 0.032, right = 0.975;
  double at = right;
  for (const KeyItem& item : items) at -= sign + letter * double(item.words.size());
  for (std::size_t i = 0; i < items.size(); ++i) {
    g.line(fmt::format(
        "set label {} {} at screen {}, screen 0.963 left offset 1.2,0 font ',13' tc rgb '{}' point "
        "pt {} ps {}*ps lw 2 lc rgb '{}' front",
        1010 + i, quote(items[i].words), at, colour::ink, items[i].point_type, items[i].size, items[i].ink));
    at += sign + letter * double(items[i].words.size());
  }
}

void end_panels(Gnuplot& g) {
  g.line("unset multiplot");
}

void head(Gnuplot& g, const std::string& title, const std::string& subtitle) {
  words(g, title, subtitle);
  g.line(
      "set tmargin at screen 0.86\nset lmargin at screen 0.09\nset rmargin at screen 0.86\nset bmargin at "
      "screen 0.11");
}

void forget_head(Gnuplot& g) {
  g.line("unset label 1001\nunset label 1002\nunset label 1003\nunset label 1004");
  for (int i = 0; i < 6; ++i) g.line(fmt::format("unset label {}", 1010 + i));
}

std::vector<double> shown_values(const Parameter& p, int along) {
  std::vector<double> out;
  const int count = p.is_between() ? along : p.settable_count();
  for (int i = 0; i < count; ++i)
    out.push_back(p.is_between() ? p.low + (p.high - p.low) * i / (along - 1) : p.settable(i));
  return out;
}

void parameter_axis(Gnuplot& g, const Parameter& p) {
  g.line(fmt::format("set xlabel {} offset 0,0.5", quote(with_unit(p.title(), p.unit))));
  if (p.is_between()) {
    g.line(fmt::format("set xrange [{}:{}]\nset xtics autofreq", p.low, p.high));
    return;
  }
  std::string tics;
  for (int i = 0; i < p.settable_count(); ++i)
    tics +=
        fmt::format("{}{} {}", i ? ", " : "",
                    quote(p.is_choice() ? p.choices[std::size_t(i)] : pretty(p.settable(i))), p.settable(i));
  const double margin = p.is_choice() ? 0.6 : 0.06 * (p.high - p.low);
  g.line(fmt::format("set xrange [{}:{}]\nset xtics ({})", p.low - margin, p.high + margin, tics));
}

std::string held_values(const Study& study, const Eigen::VectorXd& at,
                        const std::vector<Eigen::Index>& without) {
  std::string out;
  for (Eigen::Index j = 0; j < study.space.size(); ++j) {
    if (std::find(without.begin(), without.end(), j) != without.end()) continue;
    const Parameter& p = study.space[j];
    if (!out.empty()) out += ", ";
    out += p.is_choice() ? p.title() + " " + p.choices[static_cast<std::size_t>(at[j])]
                         : p.title() + " " + pretty(at[j], 5) + (p.unit.empty() ? "" : " " + p.unit);
  }
  return out;
}

std::string axis_range(const std::string& axis, double low, double high, double spare) {
  if (!(low <= high) || !std::isfinite(low) || !std::isfinite(high)) low = 0, high = 1, spare = 0;
  // What differs only by rounding is one value.
  const double least = 1e-9 * std::max(std::abs(low), std::abs(high));
  const double room = high - low > least      ? spare * (high - low)
                      : low == 0 && high == 0 ? 1
                                              : 0.1 * std::abs(high);
  return fmt::format("set {}range [{}:{}]", axis, low - room, high + room);
}

double round_step(double x) {
  const double power = std::pow(10, std::floor(std::log10(x))), lead = x / power;
  return power * (lead < 1.5 ? 1 : lead < 3.5 ? 2 : lead < 7.5 ? 5 : 10);
}

}  // namespace renth
