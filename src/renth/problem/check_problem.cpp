#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/problem/problem.hpp>
#include <set>

namespace renth {
namespace {

void check_name(const std::string& name, const std::string& what, std::set<std::string>& taken) {
  if (!is_identifier(name))
    throw Error(fmt::format("\"{}\" is not a name for {}", name, what), what,
                "use letters, digits and underscores, no digit first");
  if (!taken.insert(name).second)
    throw Error("two things are called " + name, what, "give each a name of its own");
}

void check_axis(const Axis& axis) {
  if (axis.points.empty()) throw Error("the axis has no points", axis.name, "give it some");
  for (std::size_t i = 0; i < axis.points.size(); ++i)
    if (!std::isfinite(axis.points[i]) || (i > 0 && axis.points[i] <= axis.points[i - 1]))
      throw Error("the points do not ascend", axis.name, "give them in order, each once");
}

/// \param points  of the axis; 0: a single number.
void check_accept(const Accept& accept, std::size_t points, const std::string& place) {
  for (const std::vector<double>* limits : {&accept.min_along, &accept.max_along})
    if (!limits->empty() && limits->size() != points)
      throw Error(fmt::format("{} limits for {} axis points", limits->size(), points), place,
                  points == 0 ? "give one number" : "give one number, or one an axis point");
  for (std::size_t q = 0; q < std::max<std::size_t>(1, points); ++q) {
    const auto low = accept.least(Eigen::Index(q)), high = accept.most(Eigen::Index(q));
    if (low && high && !(*low <= *high))
      throw Error(fmt::format("nothing is between {} and {}", *low, *high), place, "give min ≤ max");
  }
}

void check_response(const Problem& problem, const Response& r) {
  if (r.axis < -1 || r.axis >= int(problem.axes.size()))
    throw Error(fmt::format("there is no axis {}", r.axis), r.name,
                fmt::format("give −1 for a number, or 0 to {}", int(problem.axes.size()) - 1));
  if (!(r.weight > 0) || !std::isfinite(r.weight))
    throw Error(fmt::format("the weight {} is not above 0", r.weight), r.name, "leave the goal out instead");
  if (!std::isfinite(r.target)) throw Error("the target is not finite", r.name, "give a number");
  check_accept(r.accept, r.axis < 0 ? 0 : problem.axes[std::size_t(r.axis)].points.size(),
               r.name + " accept");
  if (r.derive && r.is_curve()) throw Error("a derived response is a number", r.name, "leave the axis out");
}

}  // namespace

void check_problem(const Problem& problem) {
  std::set<std::string> taken, axes;
  for (const Parameter& p : problem.space.parameters()) check_name(p.name, "a parameter", taken);
  for (const FixedParameter& f : problem.fixed) check_name(f.name, "a parameter", taken);
  for (const Response& r : problem.responses) check_name(r.name, "a response", taken);
  for (const Axis& a : problem.axes) {
    check_name(a.name, "an axis", axes);
    check_axis(a);
  }
  for (const Response& r : problem.responses) check_response(problem, r);
  for (int k = 0; k < int(problem.responses.size()); ++k) {
    const auto& derive = problem.responses[std::size_t(k)].derive;
    for (int j = k; derive && j < int(problem.responses.size()); ++j)
      if ((j == k || problem.responses[std::size_t(j)].derive) &&
          derive->uses(problem.first_response() + std::size_t(j)))
        throw Error(
            fmt::format("it is derived from {}, which stands later", problem.responses[std::size_t(j)].name),
            problem.responses[std::size_t(k)].name, "put what it is derived from before it");
  }
  for (const Scenario& s : problem.scenarios) {
    for (const Scenario::Aim& a : s.goals)
      if (problem.response(a.response) < 0)
        throw Error("unknown response " + a.response, "scenario " + s.name, "name one of the problem");
    problem.check_names(s.hold, "scenario " + s.name);
  }
}

}  // namespace renth
