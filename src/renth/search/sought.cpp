#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <regex>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/search/sought.hpp>
#include <renth/space/region.hpp>

namespace renth {
namespace {

Goal goal_for(const Problem& problem, const std::string& response, Goal::Aim aim, double target) {
  const int index = problem.response(response);
  if (index < 0) refuse_unknown("response", response, "seek", problem.response_names());
  const Response& r = problem.responses[index];
  if (r.axis >= 0) throw Error(r.name + " is a curve and no goal", "seek", "name a number derived from it");
  Goal g;
  g.response = index;
  g.aim = aim;
  g.target = target;
  g.weight = r.weight;
  if (r.accept.min) g.accept_min = *r.accept.min;
  if (r.accept.max) g.accept_max = *r.accept.max;
  return g;
}

const Scenario* scenario_named(const Problem& problem, const std::string& wanted) {
  if (wanted.empty()) return nullptr;
  std::vector<std::string> known;
  for (const Scenario& s : problem.scenarios) {
    if (s.name == wanted) return &s;
    known.push_back(s.name);
  }
  if (known.empty())
    throw Error("unknown scenario " + wanted, "--scenario", "add [[scenario]] to study.toml");
  refuse_unknown("scenario", wanted, "--scenario", known);
}

/// The goals typed, else the scenario's, else the file's.
std::vector<Goal> goals_of(const Problem& problem, const SeekWishes& wishes, const Scenario* scenario) {
  std::vector<Goal> out;
  for (const std::string& r : wishes.maximise) out.push_back(goal_for(problem, r, Goal::Aim::maximise, 0));
  for (const std::string& r : wishes.minimise) out.push_back(goal_for(problem, r, Goal::Aim::minimise, 0));
  for (const auto& [r, value] : wishes.target) out.push_back(goal_for(problem, r, Goal::Aim::target, value));
  if (out.empty() && scenario && !scenario->goals.empty()) {
    for (const Scenario::Aim& a : scenario->goals)
      if (a.goal) out.push_back(goal_for(problem, a.response, *a.goal, a.target));
  } else if (out.empty()) {
    for (const Response& r : problem.responses)
      if (r.goal) out.push_back(goal_for(problem, r.name, *r.goal, r.target));
  }
  for (std::size_t a = 0; a < out.size(); ++a)
    for (std::size_t b = 0; b < a; ++b)
      if (out[a].response == out[b].response)
        throw Error(problem.responses[std::size_t(out[a].response)].name + " has two goals", "seek",
                    "give it one");
  return out;
}

/// A condition of the user, which may use whatever has a surrogate.
Expression condition_of(const Problem& problem, const std::string& text, const Predictor& predictor) {
  Expression condition(text, problem.symbols(), "--keep");
  if (!condition.is_condition())
    throw Error("a number where a condition is needed", "--keep \"" + text + "\"", "compare it: load <= 350");
  for (std::size_t k = 0; k < problem.responses.size(); ++k)
    if (condition.uses(problem.first_response() + k) && !predictor.has(static_cast<int>(k)))
      throw Error(problem.responses[k].name + " has no surrogate", "--keep \"" + text + "\"", "renth fit");
  return condition;
}

/// A limit on a response, by its mean, or by a bound that it keeps with a probability.
struct ResponseLimit {
  int response = 0;
  bool is_most = false;
  double value = 0;
  std::string text;
};

/// "power >= 40" as a limit on one scalar response; nothing if it is anything else.
std::optional<ResponseLimit> plain_limit(const Problem& problem, const std::string& text) {
  static const std::regex form(R"(\s*([A-Za-z_]\w*)\s*(<=|>=)\s*([-+0-9.eE]+)\s*)");
  std::smatch part;
  if (!std::regex_match(text, part, form)) return std::nullopt;
  const int index = problem.response(part[1].str());
  if (index < 0 || problem.responses[std::size_t(index)].is_curve()) return std::nullopt;
  return ResponseLimit{index, part[2] == "<=", std::strtod(part[3].str().c_str(), nullptr), text};
}

/// A limit an axis point as one condition.
std::string limits_along(const Response& r, const Axis& axis, bool is_most) {
  std::string out;
  for (std::size_t q = 0; q < axis.points.size(); ++q)
    out += fmt::format(
        "{}at({}, {}) {} {}", q == 0 ? "" : " && ", r.name, axis.points[q],
        is_most ? "<=" : ">=", *(is_most ? r.accept.most(Eigen::Index(q)) : r.accept.least(Eigen::Index(q))));
  return out;
}

/// What is added to a problem step by step; the columns of its responses are given out here.
class Builder {
 public:
  Builder(const Problem& problem, const Predictor& predictor, SoughtProblem& out, Notes& notes)
      : problem_(problem), predictor_(predictor), out_(out), notes_(notes) {}

  void add(const ResponseLimit& limit) { limits_.push_back(limit); }
  void need(int response) { needed_.push_back(response); }

  /// A condition on whatever has a surrogate, by the means.
  void add_condition(const std::string& text, const std::string& shown) {
    const std::size_t column = problem_.responses.size() + out_.conditions.size();
    out_.conditions.push_back(condition_of(problem_, text, predictor_));
    out_.problem.constraints.push_back(
        {shown, [column](const double*, const double* y) { return y[column]; }, 1});
  }

  void add_accept_limits() {
    for (std::size_t k = 0; k < problem_.responses.size(); ++k) {
      const Response& r = problem_.responses[k];
      if (!r.accept.any()) continue;
      if (!predictor_.has(int(k))) {
        add_note(notes_, "accept_not_checked",
                 r.name + " has accept limits and no surrogate: they are not obeyed");
        continue;
      }
      for (const bool is_most : {false, true}) {
        if (!(is_most ? r.accept.max_along : r.accept.min_along).empty()) {
          add_condition(limits_along(r, *problem_.axis_of(r), is_most),
                        fmt::format("{} {} its limits along {}", r.name,
                                    is_most ? "<=" : ">=", problem_.axis_of(r)->name));
          continue;
        }
        const std::optional<double>& value = is_most ? r.accept.max : r.accept.min;
        if (!value) continue;
        const std::string text = fmt::format("{} {} {}", r.name, is_most ? "<=" : ">=", *value);
        if (r.is_curve())  // at every axis point
          add_condition(
              fmt::format("{}({}) {} {}", is_most ? "max" : "min", r.name, is_most ? "<=" : ">=", *value),
              text + " all along " + problem_.axis_of(r)->name);
        else
          add({int(k), is_most, *value, text});
      }
    }
  }

  /// \param probability  0: limits hold by the means.
  void finish(double probability) {
    const std::size_t first = problem_.responses.size() + out_.conditions.size();
    std::vector<int> bounded;
    for (std::size_t l = 0; l < limits_.size(); ++l) {
      const ResponseLimit& limit = limits_[l];
      std::size_t column = std::size_t(limit.response);
      if (probability > 0) {
        column = first + 2 * bounded.size() + (limit.is_most ? 1 : 0);
        bounded.push_back(limit.response);
      }
      out_.problem.constraints.push_back(
          {probability > 0 ? fmt::format("{} with probability {}", limit.text, probability) : limit.text,
           [column, limit](const double*, const double* y) {
             return limit.is_most ? limit.value - y[column] : y[column] - limit.value;
           },
           1});
    }
    const double level = 2 * probability - 1;
    out_.columns = first + 2 * bounded.size();
    // What nobody asks for costs as much as what is sought.
    std::vector<int> asked = needed_;
    for (const ResponseLimit& limit : limits_) asked.push_back(limit.response);
    out_.problem.responses = [asked, this_predictor = &predictor_, &conditions = out_.conditions, bounded,
                              level, columns = Eigen::Index(out_.columns)](Points x) {
      Eigen::MatrixXd y = this_predictor->means(x, conditions, asked);
      if (bounded.empty()) return y;
      Eigen::Index at = y.cols();
      y.conservativeResize(Eigen::NoChange, columns);
      for (const int k : bounded) {
        const Predictions p = this_predictor->predict(x, level, {{k}, false, false});
        y.col(at++) = p.responses.front().prediction_low.col(0);
        y.col(at++) = p.responses.front().prediction_high.col(0);
      }
      return y;
    };
  }

 private:
  const Problem& problem_;
  const Predictor& predictor_;
  SoughtProblem& out_;
  Notes& notes_;
  std::vector<ResponseLimit> limits_;
  std::vector<int> needed_;
};

}  // namespace

Wanted wanted(const Problem& problem, const SeekWishes& wishes, const std::string& name) {
  Wanted out;
  out.keep = wishes.keep;
  const Scenario* scenario = scenario_named(problem, name);
  if (scenario) {
    out.keep.insert(out.keep.end(), scenario->keep.begin(), scenario->keep.end());
    out.hold = scenario->hold;
  }
  for (const auto& [parameter, value] : wishes.hold) out.hold[parameter] = value;
  out.goals = goals_of(problem, wishes, scenario);
  for (const auto& [r, weight] : wishes.weight) {
    const auto found = std::find_if(out.goals.begin(), out.goals.end(), [&, k = r](const Goal& g) {
      return problem.responses[std::size_t(g.response)].name == k;
    });
    if (found == out.goals.end())
      throw Error(r + " has a weight and no goal", "--weight", "give it a goal too");
    if (!(weight > 0)) throw Error("a weight must be above 0", "--weight " + r, "leave the goal out instead");
    found->weight = weight;
  }
  return out;
}

std::vector<std::optional<double>> held(const Problem& problem, const Settings& hold) {
  std::vector<std::optional<double>> out;
  if (hold.empty()) return out;
  const Eigen::VectorXd point = problem.point(hold, "--hold");
  for (Eigen::Index j = 0; j < problem.space.size(); ++j)
    out.push_back(hold.count(problem.space[j].name) ? std::optional(point[j]) : std::nullopt);
  return out;
}

void scale_constraints(SeekProblem& problem, Seed seed) {
  if (problem.constraints.empty()) return;
  const Eigen::MatrixXd x = sample_region(problem.space, 256, Values::physical, seed, "constraint scales");
  const Eigen::MatrixXd y = problem.responses(x);
  for (Constraint& c : problem.constraints) {
    double low = INFINITY, high = -INFINITY;
    for (Eigen::Index i = 0; i < x.rows(); ++i) {
      const Eigen::VectorXd point = x.row(i), values = y.row(i);
      const double m = c.margin(point.data(), values.data());
      low = std::min(low, m);
      high = std::max(high, m);
    }
    if (std::isfinite(low) && high > low) c.scale = high - low;
  }
}

std::unique_ptr<SoughtProblem> sought_problem(const Problem& problem, const Wanted& want,
                                              const Predictor& predictor, double probability, Notes& notes,
                                              bool accept_limits) {
  auto out = std::make_unique<SoughtProblem>();
  out->problem.space = problem.space;
  out->problem.goals = want.goals;
  for (const Goal& g : want.goals)
    if (!predictor.has(g.response))
      throw Error(
          problem.responses[std::size_t(g.response)].name + " has no surrogate that matches the study",
          "seek", "renth fit");
  Builder builder(problem, predictor, *out, notes);
  for (const Goal& g : want.goals) builder.need(g.response);
  for (const int k : want.besides) builder.need(k);
  if (want.goals.empty() && want.besides.empty()) builder.need(0);  // none would be all
  if (accept_limits) builder.add_accept_limits();
  for (const std::string& text : want.keep) {
    const std::optional<ResponseLimit> plain = probability > 0 ? plain_limit(problem, text) : std::nullopt;
    if (plain && predictor.has(plain->response)) {
      builder.add(*plain);
      continue;
    }
    if (probability > 0)
      add_note(
          notes, "by_the_mean",
          "\"" + text + "\" holds by the means: a probability is worked out for R <= V and R >= V alone");
    builder.add_condition(text, text);
  }
  builder.finish(probability);
  return out;
}

}  // namespace renth
