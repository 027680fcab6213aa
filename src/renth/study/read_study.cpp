#include <algorithm>
#include <regex>
#include <renth/numeric/random.hpp>
#include <renth/space/scatter.hpp>
#include <renth/space/shown.hpp>
#include <renth/study/toml_reader.hpp>
#include <renth/table/whole_file.hpp>

namespace renth {

void read_parameters(const toml::table& root, Study& study, std::vector<Parameter>& varying,
                     Faults& problems);
void read_solver(const toml::table& root, Study& study, Faults& problems);

namespace {

/// The tables of an array such as [[limit]].
template <class Use>
void each_table(const toml::table& root, const std::string& key, Faults& problems, const Use& use) {
  const toml::node* node = root.get(key);
  if (!node) return;
  const toml::array* array = node->as_array();
  if (!array) return report(problems, node, key, "must be an array of tables", "write [[" + key + "]]");
  for (const toml::node& item : *array) {
    if (const toml::table* table = item.as_table())
      use(*table);
    else
      report(problems, &item, key, "must be a table", "write [[" + key + "]]");
  }
}

/// Makes an expression, turning its error into a problem at the key.
std::shared_ptr<const Expression> expression(TableReader& table, const std::string& key,
                                             const std::string& text, std::vector<Symbol> symbols,
                                             bool condition) {
  try {
    auto e = std::make_shared<const Expression>(text, std::move(symbols), key);
    if (e->is_condition() != condition)
      table.problem(
          key, condition ? "a number where a condition is needed" : "a condition where a number is needed",
          condition ? "compare it: draft <= 2.2 * radius" : "write a formula");
    else
      return e;
  } catch (const Error& e) {
    table.problem(key, e.problem() + " (" + e.place() + ")", e.remedy());
  }
  return nullptr;
}

/// `from` and `to` with `count` or `step`.
std::vector<double> evenly_spaced(TableReader& table) {
  constexpr int most = 10'000;
  const auto from = table.number("from"), to = table.number("to"), step = table.number("step");
  const auto count = table.whole<int>("count", 2, most);
  if (!table.has("from") || !table.has("to") || table.has("count") == table.has("step")) {
    table.problem("", "an axis without points",
                  "give it  points = [5, 6, 7],  or  from  and  to  with either  count  or  step");
    return {};
  }
  if (!from || !to || (!count && !step)) return {};
  const double steps = step ? (*to - *from) / *step : *count - 1;
  if (!(*to > *from))
    table.problem("to", "must be above from", "write the smaller first");
  else if (step && !(steps >= 1 - 1e-9 && steps < most))
    table.problem("step", fmt::format("makes fewer than 2 or more than {} points", most), "give another");
  else if (step && std::abs(steps - std::round(steps)) > 1e-9 * steps)
    table.problem("step", fmt::format("does not lead from {} to {}", *from, *to),
                  fmt::format("end at {} or {}", tidy(*from + *step * std::floor(steps)),
                              tidy(*from + *step * std::ceil(steps))));
  else {
    std::vector<double> out(std::size_t(std::lround(steps)) + 1);
    for (std::size_t i = 0; i < out.size(); ++i)
      out[i] = tidy(*from + (*to - *from) * double(i) / double(out.size() - 1));
    return out;
  }
  return {};
}

void read_axes(const toml::table& root, Study& study, std::set<std::string>& taken, Faults& problems) {
  each_table(root, "axis", problems, [&](const toml::table& t) {
    TableReader table(t, "axis", problems);
    Axis axis;
    axis.name = new_name(table, taken, "axis");
    axis.unit = table.text("unit").value_or("");
    axis.points = table.numbers("points").value_or(std::vector<double>{});
    if (!table.has("points"))
      axis.points = evenly_spaced(table);
    else if (axis.points.size() < 2 || std::adjacent_find(axis.points.begin(), axis.points.end(),
                                                          std::greater_equal<>()) != axis.points.end())
      if (!axis.points.empty())
        table.problem("points", "must be at least two, ascending", "sort them, each once");
    table.finish();
    study.axes.push_back(std::move(axis));
  });
}

std::optional<Goal::Aim> aim_of(const std::string& word) {
  if (word == "maximise") return Goal::Aim::maximise;
  if (word == "minimise") return Goal::Aim::minimise;
  return std::nullopt;
}

/// "maximise" | "minimise" | { target = 12.5 } | "none".
void read_goal(const toml::node& node, const std::string& key, std::optional<Goal::Aim>& goal, double& target,
               Faults& problems) {
  if (node.is_string()) {
    const std::string word(node.as_string()->get());
    goal = aim_of(word);
    if (!goal && word != "none")
      report(problems, &node, key, fmt::format("unknown goal {}", word),
             near_name(word, {"maximise", "minimise", "none"})
                 ? instead_of(word, {"maximise", "minimise", "none"})
                 : "use maximise, minimise, none or { target = 12.5 }");
    return;
  }
  if (const toml::table* t = node.as_table()) {
    TableReader table(*t, key, problems);
    if (const auto value = table.number("target")) {
      goal = Goal::Aim::target;
      target = *value;
    } else if (!table.has("target")) {
      table.problem("", "a goal without a target", "write { target = 12.5 }");
    }
    table.finish();
    return;
  }
  report(problems, &node, key, "must be a text or { target = … }",
         "use maximise, minimise, none or { target = 12.5 }");
}

/// A number, or a list with one an axis point.
void read_limit(TableReader& accept, const char* key, std::optional<double>& all,
                std::vector<double>& along) {
  const toml::node* node = accept.find(key);
  if (node && node->is_array())
    along = accept.numbers(key).value_or(std::vector<double>{});
  else
    all = accept.number(key);
}

/// \param points  of the axis; 0: a single number. A list that does not fit is left out, and said.
void check_limits(TableReader& table, Accept& accept, std::size_t points) {
  for (std::vector<double>* limits : {&accept.min_along, &accept.max_along}) {
    if (limits->empty() || limits->size() == points) continue;
    if (points == 0)
      table.problem("accept", "a list of limits for a single number", "give one number");
    else
      table.problem("accept", fmt::format("{} limits for {} axis points", limits->size(), points),
                    "give one number, or one an axis point");
    limits->clear();
  }
  for (std::size_t q = 0; q < std::max<std::size_t>(1, points); ++q) {
    const auto low = accept.least(Eigen::Index(q)), high = accept.most(Eigen::Index(q));
    if (!low || !high || *low < *high) continue;
    table.problem("accept", "min is not below max", "swap them");
    return;
  }
}

void read_responses(const toml::table& root, Study& study, std::set<std::string>& taken, Faults& problems,
                    std::vector<std::pair<std::size_t, const toml::table*>>& derived) {
  each_table(root, "response", problems, [&](const toml::table& t) {
    TableReader table(t, "response", problems);
    Response r;
    r.name = new_name(table, taken, "response");
    r.label = table.text("label").value_or("");
    r.unit = table.text("unit").value_or("");
    if (const toml::node* goal = table.find("goal"))
      read_goal(*goal, table.path("goal"), r.goal, r.target, problems);
    r.weight = table.number("weight").value_or(1);
    if (r.weight <= 0)
      table.problem("weight", "must be above 0", "use goal = \"none\" to leave a response out");
    if (const toml::node* node = table.find("accept")) {
      if (const toml::table* limits = node->as_table()) {
        TableReader accept(*limits, table.path("accept"), problems);
        read_limit(accept, "min", r.accept.min, r.accept.min_along);
        read_limit(accept, "max", r.accept.max, r.accept.max_along);
        accept.finish();
        if (limits->empty()) table.problem("accept", "neither min nor max", "write { min = 40.0 }");
      } else {
        table.problem("accept", "must be a table", "write { min = 40.0 } or { max = … }");
      }
    }
    if (const auto along = table.text("along")) {
      for (std::size_t a = 0; a < study.axes.size(); ++a)
        if (study.axes[a].name == *along) r.axis = static_cast<int>(a);
      if (r.axis < 0)
        table.problem("along", fmt::format("unknown axis {}", *along),
                      "add [[axis]] or name one that exists");
      if (r.goal)
        table.problem("", fmt::format("{} is a curve and cannot have a goal itself", r.name),
                      "give it to a response derived from it, such as derive = \"max(" + r.name + ")\"");
    }
    check_limits(table, r.accept, r.axis < 0 ? 0 : study.axes[std::size_t(r.axis)].points.size());
    if (table.find("derive")) {
      derived.emplace_back(study.responses.size(), &t);
      if (r.axis >= 0) table.problem("derive", "a derived response is a single number", "remove along");
    }
    table.finish();
    study.responses.push_back(std::move(r));
  });
}

void read_limits(const toml::table& root, const Study& study, std::vector<Limit>& limits, Faults& problems) {
  each_table(root, "limit", problems, [&](const toml::table& t) {
    TableReader table(t, "limit", problems);
    const auto keep = table.text("keep");
    if (!table.has("keep"))
      table.problem("", "a limit without keep", "write keep = \"draft <= 2.2 * radius\"");
    table.finish();
    if (!keep) return;
    try {
      limits.push_back(study.limit(*keep, "keep"));
    } catch (const Error& e) {
      const bool parsed = e.place() == "keep";
      table.problem("keep", parsed ? e.problem() : e.problem() + " (" + e.place() + ")", e.remedy());
    }
  });
}

/// [[correlation]]: of = [two parameters], rank = 0.6
std::vector<RankCorrelation> read_correlations(const toml::table& root, const Study& study,
                                               Faults& problems) {
  std::vector<RankCorrelation> out;
  const std::size_t before = problems.size();
  each_table(root, "correlation", problems, [&](const toml::table& t) {
    TableReader table(t, "correlation", problems);
    RankCorrelation c;
    const auto of = table.texts("of");
    const auto rank = table.number("rank");
    table.finish();
    if (!of || of->size() != 2)
      return table.problem("of", "must name two parameters", "write of = [\"radius\", \"draft\"]");
    if (!rank) {
      if (!table.has("rank")) table.problem("", "a correlation without rank", "write rank = 0.6");
      return;
    }
    for (std::size_t i = 0; i < 2; ++i) {
      const auto found = study.space.find((*of)[i]);
      if (!found)
        return table.problem("of", "unknown parameter " + (*of)[i], instead_of((*of)[i], study.order));
      (i == 0 ? c.a : c.b) = *found;
    }
    c.rank = *rank;
    try {
      std::vector<RankCorrelation> all = out;
      all.push_back(c);
      ScatterDraw(Space(study.space.parameters(), {}, all));
      out = std::move(all);
    } catch (const Error& e) {
      table.problem("", e.problem() + " (" + e.place() + ")", e.remedy());
    }
  });
  if (problems.size() != before) out.clear();
  return out;
}

void read_scenarios(const toml::table& root, Study& study, Faults& problems) {
  std::set<std::string> taken;
  each_table(root, "scenario", problems, [&](const toml::table& t) {
    TableReader table(t, "scenario", problems);
    Scenario s;
    s.name = new_name(table, taken, "scenario");
    if (const toml::node* goals = table.find("goals")) {
      if (const toml::table* list = goals->as_table()) {
        for (const auto& [key, node] : *list) {
          Scenario::Aim aim{std::string(key.str()), std::nullopt, 0};
          const std::string path = table.path("goals." + aim.response);
          if (study.response(aim.response) < 0)
            report(problems, &node, path, "unknown response " + aim.response,
                   instead_of(aim.response, study.response_names()));
          read_goal(node, path, aim.goal, aim.target, problems);
          s.goals.push_back(std::move(aim));
        }
      } else {
        table.problem("goals", "must be a table", "write { power = \"maximise\" }");
      }
    }
    if (const auto keep = table.texts("keep"))
      for (const std::string& text : *keep)
        if (expression(table, "keep", text, study.symbols(), true)) s.keep.push_back(text);
    if (const toml::node* hold = table.find("hold")) {
      if (const toml::table* list = hold->as_table()) {
        for (const auto& [key, node] : *list) {
          const std::string name(key.str());
          if (node.is_number())
            s.hold[name] = *node.value<double>();
          else if (node.is_string())
            s.hold[name] = std::string(node.as_string()->get());
          else
            report(problems, &node, table.path("hold." + name), "must be a number or a text",
                   "write { hull = \"steel\" }");
        }
        try {
          study.point(s.hold, "hold");
        } catch (const Error& e) {
          table.problem("hold", e.problem(), e.remedy());
        }
      } else {
        table.problem("hold", "must be a table", "write { hull = \"steel\" }");
      }
    }
    table.finish();
    study.scenarios.push_back(std::move(s));
  });
}

void read_head(const toml::table& root, Study& study, Faults& problems) {
  const toml::node* node = root.get("study");
  if (!node || !node->is_table())
    return report(problems, node, "study", "there is no [study] table",
                  "begin with [study] and  name = \"…\"");
  TableReader table(*node->as_table(), "study", problems);
  study.name = table.text("name").value_or(study.folder.filename().string());
  study.seed = static_cast<Seed>(table.whole<std::int64_t>("seed", 0).value_or(1));
  table.finish();
}

using Derived = std::vector<std::pair<std::size_t, const toml::table*>>;

void read_derived(const Derived& derived, Study& study, Faults& problems) {
  std::vector<bool> is_derived(study.responses.size(), false);
  for (const auto& [index, table] : derived) is_derived[index] = true;
  for (const auto& [index, table] : derived) {
    TableReader reader(*table, "response", problems);
    if (const auto text_of = reader.text("derive"))
      study.responses[index].derive =
          expression(reader, "derive", *text_of, study.symbols_before(int(index), is_derived), false);
  }
}

void report_unknown_tables(const toml::table& root, Faults& problems) {
  for (const auto& [key, node] : root) {
    static const std::vector<std::string> known = {"study", "parameter", "limit",    "correlation",
                                                   "axis",  "response",  "scenario", "solver"};
    const std::string word(key.str());
    if (std::find(known.begin(), known.end(), word) != known.end()) continue;
    report(problems, &node, word, "unknown table or key", instead_of(word, known));
  }
}

}  // namespace

Study parse_study(std::string_view text, const std::filesystem::path& folder) {
  const std::string file = "study.toml";
  toml::table root;
  try {
    root = toml::parse(text, file);
  } catch (const toml::parse_error& e) {
    const auto at = e.source().begin;
    throw StudyError(file, {{static_cast<int>(at.line), static_cast<int>(at.column), "",
                             "not valid TOML: " + std::string(e.description()), "correct the line"}});
  }
  Study study;
  study.folder = folder;
  study.text_hash = hash64(text);
  std::filesystem::path absolute = std::filesystem::absolute(folder).lexically_normal();
  if (absolute.filename().empty()) absolute = absolute.parent_path();  // was written with a slash at its end
  study.absolute_folder = absolute.string();
  Faults problems;
  report_unknown_tables(root, problems);
  read_head(root, study, problems);
  std::vector<Parameter> varying;
  read_parameters(root, study, varying, problems);
  std::set<std::string> taken(study.order.begin(), study.order.end());
  if (problems.empty()) study.space = Space(varying);
  const bool parameters_fine = problems.empty();
  std::set<std::string> axis_names = taken;
  const std::size_t before_axes = problems.size();
  read_axes(root, study, axis_names, problems);
  const bool axes_fine = problems.size() == before_axes;
  std::vector<std::pair<std::size_t, const toml::table*>> derived;
  read_responses(root, study, taken, problems, derived);
  // With parameters or axes that could not be read, every expression would only add noise.
  if (parameters_fine && axes_fine) {
    read_derived(derived, study, problems);
    std::vector<Limit> limits;
    read_limits(root, study, limits, problems);
    study.space = Space(varying, limits, read_correlations(root, study, problems));
    read_scenarios(root, study, problems);
    read_solver(root, study, problems);
  }
  if (!problems.empty()) throw StudyError(file, std::move(problems));
  return study;
}

Study read_study(const std::filesystem::path& folder) {
  const std::string text =
      read_whole_file((folder / "study.toml").string(), "there is no study here",
                      "go to a study's folder, name one with -s DIR, or make one with renth init DIR");
  return parse_study(text, folder);
}

}  // namespace renth
