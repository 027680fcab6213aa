#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/numeric/kernels.hpp>
#include <renth/space/shown.hpp>
#include <renth/space/space.hpp>
#include <set>

namespace renth {
namespace {

void check_choices(const Parameter& p, const std::string& where) {
  if (p.choices.size() < 2)
    throw Error("a choice needs at least two names", where, "add one, or make it fixed");
  if (std::set<std::string>(p.choices.begin(), p.choices.end()).size() < p.choices.size())
    throw Error("a choice is named twice", where, "name each once");
  if (!(p.nominal >= 0 && p.nominal < double(p.choices.size()) && p.nominal == std::floor(p.nominal)))
    throw Error(fmt::format("the nominal value {} is the index of no choice", p.nominal), where,
                fmt::format("give 0 to {}", p.choices.size() - 1));
}

/// What can be set of a number: in order, inside its span, each once.
void check_values(const Parameter& p, const std::string& where) {
  for (std::size_t i = 0; i < p.values.size(); ++i)
    if (!(p.values[i] >= p.low && p.values[i] <= p.high) || (i > 0 && p.values[i] <= p.values[i - 1]))
      throw Error(
          fmt::format("the values {} do not ascend within {} … {}", fmt::join(p.values, ", "), p.low, p.high),
          where, "give them in order, each once, inside the span");
  if (p.kind == Parameter::Kind::levels && p.values.size() < 2)
    throw Error("levels need at least two values", where, "add one, or make it fixed");
  if (p.kind == Parameter::Kind::levels &&
      std::find(p.values.begin(), p.values.end(), p.nominal) == p.values.end())
    throw Error(fmt::format("the nominal value {} is not a level", p.nominal), where,
                fmt::format("use one of {}", fmt::join(p.values, ", ")));
}

void check(const Parameter& p) {
  if (p.name.empty()) throw Error("a parameter has no name", "parameters", "name it");
  const std::string where = "parameter " + p.name;
  if (p.is_choice()) return check_choices(p, where);
  if (!(std::isfinite(p.low) && std::isfinite(p.high) && p.low < p.high))
    throw Error(fmt::format("the span {} … {} is empty or reversed", p.low, p.high), where,
                "give low < high");
  if (!std::isfinite(p.high - p.low))
    throw Error(fmt::format("the span {} … {} is wider than any number", p.low, p.high), where,
                "give a smaller one");
  if (!(p.nominal >= p.low && p.nominal <= p.high))
    throw Error(fmt::format("the nominal value {} is outside the span {} … {}", p.nominal, p.low, p.high),
                where, "give one inside");
  if (!(p.step >= 0 && std::isfinite(p.step)))
    throw Error(fmt::format("a step cannot be {}", p.step), where, "give one above 0, or 0 for none");
  constexpr double most_steps = 1e8;  // they are counted
  if (p.step > 0 && (p.high - p.low) / p.step > most_steps)
    throw Error(fmt::format("steps of {} make more values than can be counted", p.step), where,
                "give a larger one, or 0 for none");
  check_values(p, where);
}

}  // namespace

Parameter continuous(std::string name, double low, double high) {
  Parameter p;
  p.name = std::move(name);
  p.low = low;
  p.high = high;
  p.nominal = low + (high - low) / 2;
  check(p);
  return p;
}

Parameter levels(std::string name, std::vector<double> values) {
  Parameter p;
  p.name = std::move(name);
  p.kind = Parameter::Kind::levels;
  std::sort(values.begin(), values.end());
  p.values = std::move(values);
  if (!p.values.empty()) {
    p.low = p.values.front();
    p.high = p.values.back();
    p.nominal = p.values[p.values.size() / 2];
  }
  check(p);
  return p;
}

Parameter choice(std::string name, std::vector<std::string> choices) {
  Parameter p;
  p.name = std::move(name);
  p.kind = Parameter::Kind::choice;
  p.choices = std::move(choices);
  p.low = p.nominal = 0;
  p.high = double(p.choices.size()) - 1;
  check(p);
  return p;
}

void check_points(const Space& space, Points points) {
  if (points.cols() != space.size())
    throw Error(fmt::format("{} columns for {} parameters", points.cols(), space.size()), "points",
                "give a column a parameter, in their order");
  for (Eigen::Index j = 0; j < points.cols(); ++j) {
    const bool is_choice = space[j].is_choice();
    const double count = is_choice ? double(space[j].choices.size()) : 0;
    const double* const column = points.data() + j * points.outerStride();
    if (!is_choice && kernels::all_finite(column, std::size_t(points.rows()))) continue;
    for (Eigen::Index i = 0; i < points.rows(); ++i) {
      const double v = points(i, j);
      if (!std::isfinite(v))
        throw Error(fmt::format("{} is not finite", space[j].name), fmt::format("point {}", i + 1),
                    "give a number");
      if (is_choice && !(v >= 0 && v < count && v == std::floor(v)))
        throw Error(fmt::format("{} is the index of no choice of {}", v, space[j].name),
                    fmt::format("point {}", i + 1), fmt::format("give 0 to {}", count - 1));
    }
  }
}

int Parameter::settable_count() const {
  if (is_choice()) return static_cast<int>(choices.size());
  if (!values.empty()) return static_cast<int>(values.size());
  if (step > 0) return static_cast<int>(std::floor((high - low) / step * (1 + 1e-12) + 1e-9)) + 1;
  return 0;
}

double Parameter::settable(int i) const {
  if (is_choice()) return i;
  if (!values.empty()) return values[static_cast<std::size_t>(i)];
  return tidy(low + i * step);
}

double Parameter::snap(double value) const {
  const int count = settable_count();
  if (count == 0) return std::clamp(value, low, high);
  if (is_choice()) return std::clamp(std::round(value), 0.0, count - 1.0);
  if (values.empty())
    return settable(static_cast<int>(std::clamp(std::round((value - low) / step), 0.0, count - 1.0)));
  return *std::min_element(values.begin(), values.end(),
                           [&](double a, double b) { return std::abs(a - value) < std::abs(b - value); });
}

Space::Space(std::vector<Parameter> parameters, std::vector<Limit> limits,
             std::vector<RankCorrelation> correlations)
    : parameters_(std::move(parameters)), limits_(std::move(limits)), correlations_(std::move(correlations)) {
  std::set<std::string> names;
  for (const Parameter& p : parameters_) {
    check(p);
    if (!names.insert(p.name).second)
      throw Error("two parameters have one name", "parameter " + p.name, "rename one of them");
  }
}

std::optional<Eigen::Index> Space::find(std::string_view name) const {
  for (Eigen::Index i = 0; i < size(); ++i)
    if ((*this)[i].name == name) return i;
  return std::nullopt;
}

double Space::coded(Eigen::Index parameter, double natural) const {
  const Parameter& p = (*this)[parameter];
  if (p.is_choice()) return natural;
  return (natural - p.low - (p.high - natural)) / (p.high - p.low);
}

double Space::natural(Eigen::Index parameter, double coded) const {
  const Parameter& p = (*this)[parameter];
  if (p.is_choice()) return coded;
  return 0.5 * (p.low * (1 - coded) + p.high * (1 + coded));
}

Eigen::MatrixXd Space::to_coded(Points natural) const {
  Eigen::MatrixXd out(natural.rows(), natural.cols());
  for (Eigen::Index j = 0; j < size(); ++j)
    for (Eigen::Index i = 0; i < natural.rows(); ++i) out(i, j) = coded(j, natural(i, j));
  return out;
}

Eigen::MatrixXd Space::to_unit(Points natural) const {
  Eigen::MatrixXd out(natural.rows(), natural.cols());
  for (Eigen::Index j = 0; j < size(); ++j) {
    const Parameter& p = (*this)[j];
    if (p.is_choice())
      out.col(j) = (natural.col(j).array() + 0.5) / static_cast<double>(p.choices.size());
    else
      out.col(j) = (natural.col(j).array() - p.low) / (p.high - p.low);
  }
  return out;
}

double Space::from_unit(Eigen::Index parameter, double unit, bool settable) const {
  const Parameter& p = (*this)[parameter];
  if (p.is_discrete() && (settable || !p.is_between())) {
    const int count = p.settable_count();
    return p.settable(std::clamp(static_cast<int>(std::floor(unit * count)), 0, count - 1));
  }
  return p.low + unit * (p.high - p.low);
}

Eigen::VectorXd Space::nominal() const {
  Eigen::VectorXd point(size());
  for (Eigen::Index i = 0; i < size(); ++i) point[i] = (*this)[i].nominal;
  return point;
}

Eigen::VectorXd Space::snap(Eigen::VectorXd point) const {
  for (Eigen::Index i = 0; i < size(); ++i) point[i] = (*this)[i].snap(point[i]);
  return point;
}

double Space::margin(const double* point) const {
  double least = std::numeric_limits<double>::infinity();
  for (const Limit& limit : limits_) least = std::min(least, limit.margin(point));
  return least;
}

Space Space::with(std::vector<Limit> more) const {
  std::vector<Limit> all = limits_;
  std::move(more.begin(), more.end(), std::back_inserter(all));
  return Space(parameters_, std::move(all), correlations_);
}

double margin_or_worst(const Limit& limit, const Eigen::VectorXd& point) {
  try {
    return limit.margin(point.data());
  } catch (const Error&) {
    return -std::numeric_limits<double>::infinity();
  }
}

std::string describe(const Space& space, const Eigen::VectorXd& point) {
  std::string text;
  for (Eigen::Index i = 0; i < space.size(); ++i) {
    const Parameter& p = space[i];
    if (!text.empty()) text += ", ";
    text += p.is_choice() ? fmt::format("{}={}", p.name, p.choices[static_cast<std::size_t>(point[i])])
                          : fmt::format("{}={:.6g}", p.name, point[i]);
  }
  return text;
}

}  // namespace renth
