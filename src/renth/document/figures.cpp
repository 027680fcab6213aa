#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/names.hpp>
#include <renth/document/figures.hpp>
#include <renth/space/shown.hpp>
#include <utility>

namespace renth {

Figure Figure::known_to(double standard_error) && {
  if (const auto* v = std::get_if<double>(&value))
    decimals = deserved_decimals(*v * factor, standard_error * factor, digits);
  else if (const auto* b = std::get_if<Bounds>(&value))
    decimals = deserved_decimals(std::max(std::abs(b->low), std::abs(b->high)), standard_error, digits);
  return std::move(*this);
}

Figure number(std::string key, std::string title, double value, int digits, std::string unit) {
  return {std::move(key), std::move(title), value, digits, std::move(unit)};
}
Figure per_cent(std::string key, std::string title, double value, int digits) {
  Figure out = number(std::move(key), std::move(title), value, digits, "%");
  out.factor = 100;
  return out;
}
Figure whole(std::string key, std::string title, std::int64_t value) {
  return {std::move(key), std::move(title), value};
}
Figure text(std::string key, std::string title, std::string value) {
  return {std::move(key), std::move(title), std::move(value)};
}
Figure yes_no(std::string key, std::string title, bool value, std::string yes, std::string no) {
  const bool in_print = !title.empty();
  Figure out{std::move(key), std::move(title), value};
  return in_print ? std::move(out).as(value ? std::move(yes) : std::move(no)) : out;
}
Figure bounds(std::string key, std::string title, double low, double high, double level) {
  Figure out{std::move(key), std::move(title), Bounds{low, high}};
  out.level = level;
  return out;
}
std::string p_text(double p) {
  return std::isnan(p) ? "–" : p < 1e-4 ? "< 0.0001" : fmt::format("{:.4f}", p);
}
Figure p_value(std::string key, std::string title, double p) {
  return number(std::move(key), std::move(title), p).as(p_text(p));
}
Figure group(std::string key, Figures members) {
  return {std::move(key), "", std::move(members)};
}
Figure list(std::string key, Rows rows) {
  return {std::move(key), "", std::move(rows)};
}
Figure nothing(std::string key) {
  return raw(std::move(key), nullptr);
}
Figure raw(std::string key, Json value) {
  return {std::move(key), "", std::move(value)};
}

Figure setting(std::string key, const Problem& problem, const Eigen::VectorXd& point) {
  Figures members;
  for (Eigen::Index j = 0; j < problem.space.size(); ++j) {
    const Parameter& p = problem.space[j];
    members.push_back(p.is_choice() ? text(p.name, p.name, p.choices[std::size_t(point[j])])
                                    : number(p.name, p.name, point[j], 5));
    members.back().unit = p.unit;
    if (!p.is_choice()) members.back().decimals = shown_decimals(p, point[j]);
  }
  for (const FixedParameter& f : problem.fixed) members.push_back(raw(f.name, json_value(f.value)));
  return group(std::move(key), std::move(members));
}

std::string level_text(double level) {
  return fmt::format("{:.10g} %", 100 * level);
}

namespace {

template <class... F>
struct Cases : F... {
  using F::operator()...;
};
template <class... F>
Cases(F...) -> Cases<F...>;

Json value_of(const Figure& figure) {
  return std::visit(Cases{[](double v) { return json_number(v); }, [](std::int64_t v) { return Json(v); },
                          [](bool v) { return Json(v); }, [](const std::string& v) { return Json(v); },
                          [](const Bounds& v) { return json_interval(v.low, v.high); },
                          [](const Figures& v) { return json_of(v); },
                          [](const Rows& v) { return json_of(v); }, [](const Json& v) { return v; }},
                    figure.value);
}

/// The figures that are printed, groups opened.
template <class Take>
void printed(const Figures& figures, const Take& take) {
  for (const Figure& f : figures) {
    if (const auto* members = std::get_if<Figures>(&f.value))
      printed(*members, take);
    else if (!f.title.empty() || f.shown)
      take(f);
  }
}

std::string head_of(const Figure& f) {
  return with_unit(f.level ? level_text(*f.level) + " " + f.title : f.title, f.unit);
}

void add_cell(TextTable& table, const Figure& f) {
  if (f.shown)
    table.text(*f.shown);
  else if (const auto* v = std::get_if<double>(&f.value))
    table.number(*v * f.factor, f.digits, f.decimals);
  else if (const auto* n = std::get_if<std::int64_t>(&f.value))
    table.text(std::to_string(*n));
  else if (const auto* s = std::get_if<std::string>(&f.value))
    table.text(*s);
  else if (const auto* b = std::get_if<Bounds>(&f.value))
    table.interval(b->low, b->high, f.digits, f.decimals);
  else
    table.text("–");
}

}  // namespace

Json json_of(const Figures& figures) {
  Json out = Json::object();
  for (const Figure& f : figures)
    if (!f.key.empty()) out[f.key] = value_of(f);
  return out;
}

namespace {

const Figure* find_figure(const Figures& figures, std::string_view key) {
  const std::size_t dot = key.find('.');
  for (const Figure& f : figures)
    if (f.key == key.substr(0, dot)) {
      if (dot == std::string_view::npos) return &f;
      const auto* members = std::get_if<Figures>(&f.value);
      return members ? find_figure(*members, key.substr(dot + 1)) : nullptr;
    }
  return nullptr;
}

}  // namespace

Rows only(const Rows& rows, const std::vector<std::string>& keys) {
  Rows out(rows.size());
  for (const std::string& key : keys) {
    const Figure* example = nullptr;
    for (std::size_t i = 0; i < rows.size() && !example; ++i) example = find_figure(rows[i], key);
    for (std::size_t i = 0; i < rows.size() && example; ++i) {
      const Figure* found = find_figure(rows[i], key);
      out[i].push_back(found ? *found : text(example->key, head_of(*example), "").as("–"));
    }
  }
  return out;
}

Json json_of(const Rows& rows) {
  Json out = Json::array();
  for (const Figures& row : rows) out.push_back(json_of(row));
  return out;
}

Figures along_axis(const Rows& rows) {
  Figures out;
  if (rows.empty()) return out;
  for (std::size_t f = 0; f < rows.front().size(); ++f) {
    if (rows.front()[f].key.empty()) continue;
    Json values = Json::array();
    bool any = false;
    for (const Figures& row : rows) {
      values.push_back(value_of(row[f]));
      any = any || !values.back().is_null();
    }
    out.push_back(raw(rows.front()[f].key, any ? std::move(values) : Json(nullptr)));
  }
  return out;
}

void FigureTable::add(const Figures& row) {
  if (!table_) {
    std::vector<std::string> header;
    printed(row, [&](const Figure& f) { header.push_back(head_of(f)); });
    table_.emplace(std::move(header));
  }
  printed(row, [&](const Figure& f) { add_cell(*table_, f); });
  table_->end_row();
}

std::string FigureTable::str() const {
  return table_ ? table_->str() : "";
}

Cells FigureTable::cells() const {
  return table_ ? table_->cells() : Cells{};
}

Cells cells_of(const Rows& rows) {
  FigureTable table;
  for (const Figures& row : rows) table.add(row);
  return table.cells();
}

std::string table_of(const Rows& rows) {
  FigureTable table;
  for (const Figures& row : rows) table.add(row);
  return table.str();
}

std::string beside_each_other(const std::vector<std::pair<std::string, Figures>>& columns) {
  std::vector<std::string> header = {"figure"};
  std::vector<std::vector<Figure>> lines;
  for (const auto& [name, figures] : columns) {
    header.push_back(name);
    std::size_t line = 0;
    printed(figures, [&](const Figure& f) {
      if (line == lines.size()) lines.emplace_back();
      lines[line++].push_back(f);
    });
  }
  TextTable table(header);
  for (std::vector<Figure>& line : lines) {
    double largest = 0;
    for (const Figure& f : line)
      if (const auto* v = std::get_if<double>(&f.value); v && std::isfinite(*v))
        largest = std::max(largest, std::abs(*v * f.factor));
    table.text(head_of(line.front()));
    for (Figure& f : line) {  // what stands side by side is compared
      if (!f.decimals) f.decimals = decimals_of(largest, f.digits);
      add_cell(table, f);
    }
    table.end_row();
  }
  return table.str();
}

}  // namespace renth
