#include <algorithm>
#include <renth/base/text.hpp>
#include <renth/space/scatter.hpp>
#include <renth/study/toml_reader.hpp>
#include <renth/table/table_file.hpp>

namespace renth {
namespace {

/// "30%" → 0.3.
std::optional<double> percentage(const std::string& text) {
  std::size_t end = 0;
  try {
    const double value = std::stod(text, &end);
    while (end < text.size() && text[end] == ' ') ++end;
    if (end + 1 == text.size() && text[end] == '%' && value > 0 && std::isfinite(value)) return value / 100;
  } catch (const std::exception&) {
  }
  return std::nullopt;
}

void read_span(TableReader& table, Parameter& p) {
  const auto nominal = table.number("nominal");
  if (const auto span = table.numbers("span")) {
    if (span->size() != 2) return table.problem("span", "must be two numbers", "write span = [low, high]");
    p.low = (*span)[0];
    p.high = (*span)[1];
    if (p.low == p.high)
      return table.problem("span", "is empty: both ends are the same", "widen it, or write fixed = …");
    if (p.low > p.high)
      return table.problem("span", "is reversed", fmt::format("write span = [{}, {}]", p.high, p.low));
    if (table.has("plus_minus")) table.problem("plus_minus", "stands beside a span", "keep one of the two");
  } else if (const toml::node* node = table.find("plus_minus")) {
    if (!nominal) return table.problem("plus_minus", "needs a nominal", "add nominal = …");
    double half = 0;
    if (node->is_string()) {
      const auto share = percentage(std::string(node->as_string()->get()));
      if (!share) return table.problem("plus_minus", "is not a percentage above 0", "write \"30%\"");
      if (*nominal == 0)
        return table.problem("plus_minus", "is a percentage of a nominal of 0",
                             "give an absolute half-width");
      half = *share * std::abs(*nominal);
    } else if (const auto value = table.number("plus_minus")) {
      half = *value;
      if (half <= 0) return table.problem("plus_minus", "must be above 0", "give a half-width");
    } else {
      return;
    }
    p.low = *nominal - half;
    p.high = *nominal + half;
    if (p.low == p.high)
      return table.problem("plus_minus", "is too small beside the nominal to make a difference",
                           "make it larger, or write fixed = …");
  } else if (!table.has("span")) {
    return table.problem("", "a parameter without a range",
                         "give it span, nominal and plus_minus, levels, choices, or fixed");
  }
  if (!std::isfinite(p.low) || !std::isfinite(p.high) || !std::isfinite(p.high - p.low))
    return table.problem(
        table.has("span") ? "span" : "plus_minus",
        table.has("span") ? "is wider than any number can be" : "reaches beyond what a number can be",
        "narrow it, or give the parameter another unit");
  p.nominal = nominal.value_or(0.5 * p.low + 0.5 * p.high);
  if (nominal && (*nominal < p.low || *nominal > p.high))
    table.problem("nominal", "lies outside the span", "move it, or widen the span");
}

void read_values(TableReader& table, Parameter& p) {
  const bool has_step = table.find("step") != nullptr, has_sizes = table.find("sizes") != nullptr;
  if (has_step && has_sizes) table.problem("sizes", "stand beside a step", "keep one of the two");
  if (const auto step = has_step ? table.number("step") : std::nullopt) {
    if (*step <= 0) return table.problem("step", "must be above 0", "give the distance between two values");
    if (*step > p.high - p.low)
      return table.problem("step", "leaves one value only",
                           "make it smaller than the span, or fix the parameter");
    if ((p.high - p.low) / *step > 1e6)
      return table.problem("step", "makes more than a million values",
                           "leave it out: the parameter is continuous");
    p.step = *step;
  }
  if (const auto sizes = has_sizes ? table.numbers("sizes") : std::nullopt) {
    p.values = *sizes;
    std::sort(p.values.begin(), p.values.end());
    if (std::adjacent_find(p.values.begin(), p.values.end()) != p.values.end())
      table.problem("sizes", "has a value twice", "list each once");
    if (p.values.size() < 2)
      return table.problem("sizes", "leaves one value only", "list two or more, or fix the parameter");
    if (p.values.front() < p.low || p.values.back() > p.high)
      table.problem("sizes", "go beyond the span", "widen the span or remove them");
  }
  if ((p.step > 0 || !p.values.empty()) && !table.has("nominal")) p.nominal = p.snap(p.nominal);
  if ((p.step > 0 || !p.values.empty()) &&
      std::abs(p.snap(p.nominal) - p.nominal) > 1e-9 * std::max(1.0, std::abs(p.nominal)))
    table.problem("nominal", "cannot be set with this step or these sizes",
                  fmt::format("the nearest is {}", p.snap(p.nominal)));
}

void read_levels(TableReader& table, Parameter& p) {
  const auto levels = table.numbers("levels");
  if (!levels) return;
  p.kind = Parameter::Kind::levels;
  p.values = *levels;
  std::sort(p.values.begin(), p.values.end());
  if (std::adjacent_find(p.values.begin(), p.values.end()) != p.values.end())
    table.problem("levels", "has a value twice", "list each once");
  if (p.values.size() < 2)
    return table.problem("levels", "has one level only", "list two or more, or fix the parameter");
  p.low = p.values.front();
  p.high = p.values.back();
  if (!std::isfinite(p.high - p.low))
    return table.problem("levels", "are farther apart than any number can be",
                         "narrow them, or give the parameter another unit");
  p.nominal = table.number("nominal").value_or(p.values[p.values.size() / 2]);
  if (std::find(p.values.begin(), p.values.end(), p.nominal) == p.values.end())
    table.problem("nominal", "is not a level", "use one of the levels");
}

void read_choices(TableReader& table, Parameter& p) {
  const auto choices = table.texts("choices");
  if (!choices) return;
  p.kind = Parameter::Kind::choice;
  p.choices = *choices;
  p.low = 0;
  p.high = static_cast<double>(p.choices.size()) - 1;
  p.nominal = 0;
  if (std::set<std::string>(p.choices.begin(), p.choices.end()).size() < p.choices.size())
    table.problem("choices", "has a name twice", "list each once");
  for (const std::string& c : p.choices)
    if (c.empty() || c.find_first_of("\"',;") != std::string::npos || c.front() == ' ' || c.back() == ' ' ||
        without_controls(c) != c || c.find_first_of("\n\t") != std::string::npos)
      table.problem("choices", fmt::format("\"{}\" cannot be a choice", c),
                    "use a name without quotes, commas, semicolons, line breaks and blanks at its ends");
  if (p.choices.size() < 2)
    table.problem("choices", "has one choice only", "list two or more, or fix the parameter");
  if (const auto nominal = table.has("nominal") ? table.text("nominal") : std::nullopt) {
    const auto found = std::find(p.choices.begin(), p.choices.end(), *nominal);
    if (found == p.choices.end())
      table.problem("nominal", "is not a choice", "use one of the choices");
    else
      p.nominal = static_cast<double>(found - p.choices.begin());
  }
}

/// Deviations as measured. What is in their file belongs to the study as if it stood in its text.
std::vector<double> measured_deviations(TableReader& reader, const std::string& file, Study& study) {
  try {
    const std::vector<double> out = read_one_column((study.folder / file).string());
    for (const double v : out) study.text_hash = hash64(fmt::format("{}", v), study.text_hash);
    return out;
  } catch (const Error& e) {
    reader.problem("measured", e.problem() + " (" + e.place() + ")", e.remedy());
    return {};
  }
}

/// { steel = 0.9, composite = 0.1 }: one a level or choice; those not named never happen.
std::vector<double> read_shares(TableReader& reader, const toml::node& node, const Parameter& p) {
  const toml::table* table = node.as_table();
  if (!table) {
    reader.problem("shares", "must be a table", "write shares = { steel = 0.9, composite = 0.1 }");
    return {};
  }
  const std::vector<std::string> names = shared_names(p);
  std::vector<double> out(names.size(), 0);
  for (const auto& [key, share] : *table) {
    const std::string name(key.str());
    const auto found = std::find(names.begin(), names.end(), name);
    if (found == names.end())
      reader.problem("shares", fmt::format("unknown level or choice {}", name), instead_of(name, names));
    else if (const auto value = share.is_number() ? share.value<double>() : std::nullopt)
      out[std::size_t(found - names.begin())] = *value;
    else
      reader.problem("shares", fmt::format("the share of {} must be a number", name), "write 0.9");
  }
  return out;
}

void read_scatter(TableReader& table, Study& study, Parameter& p, Faults& problems) {
  const toml::node* node = table.find("scatter");
  if (!node) return;
  const toml::table* inner = node->as_table();
  if (!inner) return table.problem("scatter", "must be a table", "write { normal = 0.05 }");
  TableReader reader(*inner, table.path("scatter"), problems);
  using Shape = Scatter::Shape;
  const std::size_t before = problems.size();
  int found = 0;
  for (int i = int(Shape::normal); i <= int(Shape::shares); ++i) {
    const Shape shape = Shape(i);
    const std::string word(scatter_words(shape));
    const toml::node* size = reader.find(word);
    if (!size) continue;
    ++found;
    p.scatter.shape = shape;
    if (shape == Shape::measured) {
      if (const auto file = reader.text(word)) p.scatter.values = measured_deviations(reader, *file, study);
    } else if (shape == Shape::shares) {
      p.scatter.values = read_shares(reader, *size, p);
    } else if (size->is_string()) {
      const auto share = percentage(std::string(size->as_string()->get()));
      if (!share) reader.problem(word, "is not a percentage above 0", "write \"2%\"");
      p.scatter.size = share.value_or(0);
      p.scatter.relative = true;
    } else {
      p.scatter.size = reader.number(word).value_or(0);
    }
  }
  p.scatter.tighten_cost = reader.number("tighten_cost").value_or(1);
  if (found != 1)
    reader.problem("", "must name one distribution",
                   "write { normal = 0.05 } or uniform, triangular, lognormal, measured, shares");
  if (found == 1) reader.finish();
  if (found != 1 || problems.size() != before) {
    p.scatter = {};
    return;
  }
  try {
    check_scatter(p, "");
  } catch (const Error& e) {
    table.problem("scatter", e.problem(), e.remedy());
    p.scatter = {};
  }
}

std::optional<Value> value_of(TableReader& table, const std::string& key) {
  const toml::node* node = table.find(key);
  if (!node) return std::nullopt;
  if (node->is_string()) return Value(std::string(node->as_string()->get()));
  if (const auto number = table.number(key)) return Value(*number);
  return std::nullopt;
}

void read_parameter(TableReader& table, Study& study, std::vector<Parameter>& varying,
                    std::set<std::string>& taken, Faults& problems) {
  Parameter p;
  p.name = new_name(table, taken, "parameter");
  p.label = table.text("label").value_or("");
  p.unit = table.text("unit").value_or("");
  study.order.push_back(p.name);
  if (table.has("levels") + table.has("choices") + (table.has("span") || table.has("plus_minus")) +
          table.has("fixed") >
      1)
    table.problem("", "more than one of span, levels, choices and fixed", "keep the one that is meant");
  const auto fixed = value_of(table, "fixed");
  if (fixed) {
    study.fixed.push_back({p.name, p.label, p.unit, *fixed});
  } else if (table.has("choices")) {
    read_choices(table, p);
  } else if (table.has("levels")) {
    read_levels(table, p);
  } else if (!table.has("fixed")) {
    const std::size_t before = problems.size();
    read_span(table, p);
    if (problems.size() == before) read_values(table, p);
  }
  for (const char* key :
       {"span", "plus_minus", "nominal", "step", "sizes", "levels", "choices", "fixed", "before"})
    table.find(key);
  if (!fixed)
    read_scatter(table, study, p, problems);
  else
    table.find("scatter");
  p.hard = table.flag("hard").value_or(false);
  if (const auto before = value_of(table, "before")) study.before[p.name] = *before;
  table.finish();
  if (!fixed) varying.push_back(std::move(p));
}

}  // namespace

void read_parameters(const toml::table& root, Study& study, std::vector<Parameter>& varying,
                     Faults& problems) {
  const toml::node* node = root.get("parameter");
  const toml::array* array = node ? node->as_array() : nullptr;
  if (!array || array->empty())
    return report(problems, node, "parameter", "there are no parameters",
                  "add [[parameter]] with a name and a span");
  std::set<std::string> taken;
  for (const toml::node& item : *array) {
    if (!item.is_table()) {
      report(problems, &item, "parameter", "must be a table", "write [[parameter]]");
      continue;
    }
    TableReader table(*item.as_table(), "parameter", problems);
    read_parameter(table, study, varying, taken, problems);
  }
  if (varying.empty() && problems.empty())
    report(problems, node, "parameter", "nothing varies: every parameter is fixed",
           "give one of them a span");
}

}  // namespace renth
