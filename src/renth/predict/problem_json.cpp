#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/base/words.hpp>
#include <renth/predict/problem_json.hpp>
#include <renth/space/scatter.hpp>

namespace renth {
namespace {

using Json = nlohmann::ordered_json;

constexpr EnumWords<Parameter::Kind, 3> kind_words{"sort of parameter", {"continuous", "levels", "choice"}};

Json value_to_json(const Value& value) {
  return std::visit([](const auto& v) { return Json(v); }, value);
}
Value value_from(const Json& json) {
  return json.is_string() ? Value(json.get<std::string>()) : Value(json.get<double>());
}

Json parameter_to_json(const Parameter& p) {
  Json out = {{"parameter", p.name}, {"label", p.label}, {"unit", p.unit}, {"sort", kind_words(p.kind)}};
  if (p.is_choice()) {
    out["choices"] = p.choices;
  } else {
    out["span"] = {p.low, p.high};
    out["step"] = p.step;
    out["values"] = p.values;
  }
  out["nominal"] = p.nominal;
  if (p.hard) out["hard"] = true;
  out["scatter"] = {
      {"shape", scatter_words(p.scatter.shape)}, {"size", p.scatter.size}, {"relative", p.scatter.relative}};
  if (!p.scatter.values.empty()) out["scatter"]["values"] = p.scatter.values;
  if (p.scatter.tighten_cost != 1) out["scatter"]["tighten_cost"] = p.scatter.tighten_cost;
  return out;
}

Parameter parameter_from(const Json& json) {
  Parameter p;
  p.name = json.at("parameter").get<std::string>();
  p.label = json.at("label").get<std::string>();
  p.unit = json.at("unit").get<std::string>();
  p.kind = kind_words.value(json.at("sort").get<std::string>(), p.name);
  if (p.is_choice()) {
    p.choices = json.at("choices").get<std::vector<std::string>>();
    p.high = double(p.choices.size()) - 1;
  } else {
    p.low = json.at("span").at(0).get<double>();
    p.high = json.at("span").at(1).get<double>();
    p.step = json.at("step").get<double>();
    p.values = json.at("values").get<std::vector<double>>();
  }
  p.nominal = json.at("nominal").get<double>();
  p.hard = json.value("hard", false);
  const Json& scatter = json.at("scatter");
  p.scatter = {scatter_words.value(scatter.at("shape").get<std::string>(), p.name),
               scatter.at("size").get<double>(), scatter.at("relative").get<bool>(),
               scatter.value("values", std::vector<double>()), scatter.value("tighten_cost", 1.0)};
  check_scatter(p, p.name + " scatter");
  return p;
}

Json optional_number(const std::optional<double>& v) {
  return v ? Json(*v) : Json(nullptr);
}
std::optional<double> optional_from(const Json& json) {
  return json.is_null() ? std::nullopt : std::optional(json.get<double>());
}

/// A limit is a number, or one an axis point, or null.
Json limit_to_json(const std::optional<double>& all, const std::vector<double>& along) {
  return along.empty() ? optional_number(all) : Json(along);
}

void limit_from(const Json& json, std::optional<double>& all, std::vector<double>& along) {
  if (json.is_array())
    along = json.get<std::vector<double>>();
  else
    all = optional_from(json);
}

Json response_to_json(const Problem& problem, const Response& r) {
  const Axis* axis = problem.axis_of(r);
  return {{"response", r.name},
          {"label", r.label},
          {"unit", r.unit},
          {"goal", r.goal ? Json(aim_words(*r.goal)) : Json(nullptr)},
          {"target", r.target},
          {"weight", r.weight},
          {"accept",
           {{"min", limit_to_json(r.accept.min, r.accept.min_along)},
            {"max", limit_to_json(r.accept.max, r.accept.max_along)}}},
          {"along", axis ? Json(axis->name) : Json(nullptr)},
          {"derive", r.derive ? Json(r.derive->text()) : Json(nullptr)}};
}

std::optional<Goal::Aim> aim_from(const Json& json, const std::string& place) {
  if (json.is_null()) return std::nullopt;
  return aim_words.value(json.get<std::string>(), place);
}

Response response_from(const Problem& problem, const Json& json) {
  Response r;
  r.name = json.at("response").get<std::string>();
  r.label = json.at("label").get<std::string>();
  r.unit = json.at("unit").get<std::string>();
  r.goal = aim_from(json.at("goal"), r.name);
  r.target = json.at("target").get<double>();
  r.weight = json.at("weight").get<double>();
  limit_from(json.at("accept").at("min"), r.accept.min, r.accept.min_along);
  limit_from(json.at("accept").at("max"), r.accept.max, r.accept.max_along);
  if (const Json& along = json.at("along"); !along.is_null()) {
    std::vector<std::string> known;
    for (std::size_t a = 0; a < problem.axes.size(); ++a) {
      known.push_back(problem.axes[a].name);
      if (known.back() == along.get<std::string>()) r.axis = int(a);
    }
    if (r.axis < 0) refuse_unknown("axis", along.get<std::string>(), r.name, known);
  }
  return r;
}

Json scenario_to_json(const Scenario& s) {
  Json goals = Json::array(), hold = Json::object();
  for (const Scenario::Aim& a : s.goals)
    goals.push_back({{"response", a.response},
                     {"goal", a.goal ? Json(aim_words(*a.goal)) : Json(nullptr)},
                     {"target", a.target}});
  for (const auto& [name, value] : s.hold) hold[name] = value_to_json(value);
  return {{"name", s.name}, {"goals", goals}, {"keep", s.keep}, {"hold", hold}};
}

Scenario scenario_from(const Json& json) {
  Scenario s;
  s.name = json.at("name").get<std::string>();
  for (const Json& a : json.at("goals"))
    s.goals.push_back(
        {a.at("response").get<std::string>(), aim_from(a.at("goal"), s.name), a.at("target").get<double>()});
  s.keep = json.at("keep").get<std::vector<std::string>>();
  for (const auto& [name, value] : json.at("hold").items()) s.hold[name] = value_from(value);
  return s;
}

}  // namespace

Json problem_to_json(const Problem& problem) {
  Json parameters = Json::array(), fixed = Json::array(), limits = Json::array(), axes = Json::array(),
       responses = Json::array(), scenarios = Json::array(), correlations = Json::array();
  for (const Parameter& p : problem.space.parameters()) parameters.push_back(parameter_to_json(p));
  for (const FixedParameter& f : problem.fixed)
    fixed.push_back(
        {{"parameter", f.name}, {"label", f.label}, {"unit", f.unit}, {"value", value_to_json(f.value)}});
  for (const Limit& l : problem.space.limits()) limits.push_back(l.text);
  for (const Axis& a : problem.axes)
    axes.push_back({{"name", a.name}, {"unit", a.unit}, {"points", a.points}});
  for (const Response& r : problem.responses) responses.push_back(response_to_json(problem, r));
  for (const Scenario& s : problem.scenarios) scenarios.push_back(scenario_to_json(s));
  for (const RankCorrelation& c : problem.space.correlations())
    correlations.push_back({{"of", {problem.space[c.a].name, problem.space[c.b].name}}, {"rank", c.rank}});
  return {{"name", problem.name},     {"noisy", problem.noisy},
          {"parameters", parameters}, {"correlations", correlations},
          {"fixed", fixed},           {"order", problem.order},
          {"limits", limits},         {"axes", axes},
          {"responses", responses},   {"scenarios", scenarios}};
}

Problem problem_from_json(const Json& json) {
  Problem out;
  out.name = json.at("name").get<std::string>();
  out.noisy = json.at("noisy").get<bool>();
  std::vector<Parameter> parameters;
  for (const Json& p : json.at("parameters")) parameters.push_back(parameter_from(p));
  out.space = Space(parameters);
  for (const Json& f : json.at("fixed"))
    out.fixed.push_back({f.at("parameter").get<std::string>(), f.at("label").get<std::string>(),
                         f.at("unit").get<std::string>(), value_from(f.at("value"))});
  out.order = json.at("order").get<std::vector<std::string>>();
  for (const Json& a : json.at("axes"))
    out.axes.push_back({a.at("name").get<std::string>(), a.at("unit").get<std::string>(),
                        a.at("points").get<std::vector<double>>()});
  for (const Json& r : json.at("responses")) out.responses.push_back(response_from(out, r));
  for (std::size_t k = 0; k < out.responses.size(); ++k)
    if (const Json& derive = json.at("responses")[k].at("derive"); !derive.is_null())
      out.responses[k].derive = out.derivation(int(k), derive.get<std::string>(), out.responses[k].name);
  std::vector<Limit> limits;
  for (const Json& l : json.at("limits")) limits.push_back(out.limit(l.get<std::string>(), "limits"));
  std::vector<RankCorrelation> correlations;
  for (const Json& c : json.value("correlations", Json::array())) {
    std::vector<Eigen::Index> of;
    for (const Json& name : c.at("of")) {
      const auto found = out.space.find(name.get<std::string>());
      if (!found)
        throw Error("unknown parameter " + name.get<std::string>(), "correlations", "name one of the model");
      of.push_back(*found);
    }
    if (of.size() != 2) throw Error("a correlation is of two parameters", "correlations", "name two");
    correlations.push_back({of[0], of[1], c.at("rank").get<double>()});
  }
  out.space = Space(parameters, std::move(limits), std::move(correlations));
  ScatterDraw(out.space);  // throws where they make no sense
  for (const Json& s : json.at("scenarios")) out.scenarios.push_back(scenario_from(s));
  check_problem(out);
  return out;
}

}  // namespace renth
