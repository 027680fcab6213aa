// What is asked: what varies, what comes out, what is wanted. No file, no solver.
#pragma once
#include <map>
#include <memory>
#include <optional>
#include <renth/expression/expression.hpp>
#include <renth/problem/goal.hpp>
#include <renth/problem/settings.hpp>
#include <renth/space/space.hpp>
#include <string>
#include <string_view>
#include <vector>

namespace renth {

/// A parameter that does not vary.
struct FixedParameter {
  std::string name, label, unit;
  Value value;
};

/// What curves run along.
struct Axis {
  std::string name, unit;
  std::vector<double> points;  ///< ascending
};

/// Specification limits of a response.
struct Accept {
  std::optional<double> min, max;
  /// Of a curve instead of one number: a limit an axis point.
  std::vector<double> min_along = {}, max_along = {};

  bool any() const { return min || max || !min_along.empty() || !max_along.empty(); }
  /// The limits at an axis point; of a single number that is point 0.
  std::optional<double> least(Eigen::Index at = 0) const { return one(min, min_along, at); }
  std::optional<double> most(Eigen::Index at = 0) const { return one(max, max_along, at); }
  bool holds(double value, Eigen::Index at = 0) const {
    return !(least(at) && value < *least(at)) && !(most(at) && value > *most(at));
  }

 private:
  static std::optional<double> one(const std::optional<double>& all, const std::vector<double>& along,
                                   Eigen::Index at) {
    return along.empty() ? all : along[std::size_t(at)];
  }
};

struct Response {
  std::string name, label, unit;
  std::optional<Goal::Aim> goal;  ///< none: no goal
  double target = 0, weight = 1;
  Accept accept;
  int axis = -1;                             ///< index into Problem::axes; −1: a single number
  std::shared_ptr<const Expression> derive;  ///< over Problem::symbols()
  const std::string& title() const { return label.empty() ? name : label; }
  bool is_curve() const { return axis >= 0; }
};

/// A named set of goals.
struct Scenario {
  std::string name;
  struct Aim {
    std::string response;
    std::optional<Goal::Aim> goal;
    double target = 0;
  };
  std::vector<Aim> goals;
  std::vector<std::string> keep;
  Settings hold;
};

/// Parameters, responses and wishes, as understood.
struct Problem {
  std::string name;
  Space space;  ///< what varies, with the limits
  std::vector<FixedParameter> fixed;
  std::vector<Axis> axes;
  std::vector<Response> responses;  ///< a derived one stands after those it is derived from
  std::vector<Scenario> scenarios;
  std::vector<std::string> order;  ///< names of all parameters, fixed ones too, as they were given
  bool noisy = false;              ///< the same setting need not give the same values

  int response(std::string_view name) const;  ///< its number; −1: none of that name
  std::vector<std::string> response_names() const;
  const Axis* axis_of(const Response& r) const { return r.axis < 0 ? nullptr : &axes[std::size_t(r.axis)]; }
  /// Values that a response has at one setting: one, or one an axis point.
  Eigen::Index outputs(const Response& r) const {
    return r.axis < 0 ? 1 : Eigen::Index(axes[std::size_t(r.axis)].points.size());
  }

  /// Names that expressions may use: varying parameters, then fixed ones, then responses.
  std::vector<Symbol> parameter_symbols() const;
  std::vector<Symbol> symbols() const;
  /// Where the responses begin among the symbols.
  std::size_t first_response() const { return std::size_t(space.size()) + fixed.size(); }
  /// Values of the fixed parameters for parameter_symbols(), after those of the point; a choice is 0.
  std::vector<double> fixed_numbers() const;

  /// A rule between parameters as the margin of an expression.
  /// \throws Error  it does not parse; it is no condition.
  Limit limit(const std::string& text, const std::string& place) const;

  /// What a response may be derived from: all names but its own and those of derived responses that do not
  /// stand before it, so that nothing goes round in a circle. \param derived  one a response.
  std::vector<Symbol> symbols_before(int response, const std::vector<bool>& derived) const;
  /// What a response is derived from. Of other derived ones it may use those that stand before it.
  /// \throws Error  it does not parse; it is a condition.
  std::shared_ptr<const Expression> derivation(int response, const std::string& text,
                                               const std::string& place) const;

  /// One row of natural values from settings by name; what is not given is nominal.
  /// \param place  where the settings come from, for messages.
  /// \throws Error  unknown name or choice; between levels; not finite.
  Eigen::VectorXd point(const Settings& settings, const std::string& place) const;
  /// The settings of a point, fixed parameters included.
  Settings settings(const Eigen::VectorXd& point) const;

  /// The value of one varying parameter. \throws Error  as point().
  double value_of(Eigen::Index parameter, const Value& value, const std::string& place) const;
  /// \throws Error  a name that is no parameter.
  void check_names(const Settings& settings, const std::string& place) const;
};

/// Does a problem make sense? What its space refuses, that has refused already.
/// \throws Error  names that are none or stand twice; an axis that does not ascend, or is none; limits of
///                acceptance that leave nothing; a weight not above 0; a derived response without what it is
///                derived from; a scenario of unknown responses or settings.
void check_problem(const Problem& problem);

/// The numbers of the responses that one is worked out from: itself if it is not derived, else all at the end
/// of the chain; ascending.
std::vector<int> sources_of(const Problem& problem, int response);

}  // namespace renth
