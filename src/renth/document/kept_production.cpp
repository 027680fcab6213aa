#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/kept_production.hpp>

namespace renth {

namespace {

/// Shares near nothing and near all are told apart from these.
int share_decimals(double share) {
  const double off = std::min(share, 1 - share);
  constexpr double nothing = 5e-7;  // would round to all or nothing with the most decimals
  if (off <= nothing) return 0;
  return off < 5e-5 ? 4 : off < 5e-4 ? 3 : off < 5e-3 ? 2 : 1;
}

}  // namespace

std::string share_text(double share) {
  return std::isnan(share) ? "–" : fmt::format("{} %", fixed(100 * share, share_decimals(share)));
}

std::string share_range(double low, double high) {
  if (std::isnan(low) || std::isnan(high)) return "–";
  return fmt::format("{} … {} %", fixed(100 * low, share_decimals(low)),
                     fixed(100 * high, share_decimals(high)));
}

std::vector<NamedTable> tables_of_tolerance(const Study& study, const Kept& d) {
  Rows responses, limits, parameters, reach;
  for (const Kept& r : part_of(d, "responses")) {
    const std::string name = text_in(r, "response");
    const double sd = number_in(r, "sd");
    Figures row = {
        text("", "response", with_unit(title_of_response(study, name), unit_of_response(study, name)))};
    for (const auto& [key, title] :
         {std::pair{"mean", "mean"}, {"p05", "5 %"}, {"p50", "median"}, {"p95", "95 %"}})
      row.push_back(text("", title,
                         std::isnan(number_in(r, key))
                             ? "–"
                             : fixed(number_in(r, key), deserved_decimals(number_in(r, key), sd))));
    row.push_back(text("", "std. deviation", pretty(sd, 3)));
    row.push_back(text("", "in specification", share_text(number_in(r, "yield"))));
    const Bounds b = bounds_in(r, "yield_interval");
    row.push_back(text("", "interval", share_range(b.low, b.high)));
    row.push_back(text("", "capability", pretty(number_in(r, "capability"), 3)));
    responses.push_back(std::move(row));
  }
  for (const Kept& l : part_of(d, "limits"))
    limits.push_back(
        {text("", "limit", text_in(l, "limit")), text("", "holds in", share_text(number_in(l, "yield")))});
  for (const Kept& p : part_of(d, "parameters")) {
    const Bounds b = bounds_in(p, "cost_interval");
    parameters.push_back(
        {text("", "parameter", title_of_parameter(study, text_in(p, "parameter"))),
         text("", "yield regained if held exactly", share_text(number_in(p, "cost"))),
         text("", "interval", share_range(b.low, b.high)),
         text("", "scatter may grow by",
              std::isnan(number_in(p, "slack")) ? "–" : "× " + pretty(number_in(p, "slack"), 3))});
  }
  for (const Kept& t : part_of(part_of(d, "reach"), "tolerances"))
    reach.push_back({text("", "parameter", title_of_parameter(study, text_in(t, "parameter"))),
                     text("", "scatter times", pretty(number_in(t, "factor"), 3))});
  std::vector<NamedTable> out;
  for (auto& [caption, rows] : {std::pair<const char*, const Rows&>{"responses in production", responses},
                                {"limits in production", limits},
                                {"who costs it", parameters},
                                {"the cheapest way to the yield that was asked for", reach}})
    if (!rows.empty()) out.push_back({caption, cells_of(rows)});
  return out;
}

std::vector<NamedTable> tables_of_window(const Study& study, const Kept& d) {
  std::vector<NamedTable> out;
  for (const auto& [key, caption] :
       {std::pair{"window", "the operating window"}, {"by_hand", "the window by hand"}}) {
    const Kept& window = part_of(d, key);
    Rows rows;
    for (const auto& [name, ends] : part_of(window, "span").items()) {
      std::string low, high;
      for (const Kept& b : part_of(d, "binding"))
        if (text_in(b, "parameter") == name)
          (text_in(b, "side") == "low" ? low : high) += text_in(b, "limit") + " ";
      const Bounds b = bounds_in(part_of(window, "span"), name.c_str());
      rows.push_back({text("", "parameter", title_of_parameter(study, name)),
                      text("", "from", pretty(b.low, 4)), text("", "to", pretty(b.high, 4)),
                      text("", "low end held by", low), text("", "high end held by", high)});
    }
    if (!rows.empty()) out.push_back({caption, cells_of(rows)});
  }
  return out;
}

}  // namespace renth
