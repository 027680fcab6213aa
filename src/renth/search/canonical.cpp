#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>
#include <renth/numeric/distributions.hpp>
#include <renth/numeric/symmetric_eigen.hpp>
#include <renth/search/canonical.hpp>

namespace renth {
namespace {

using Eigen::Index;

/// c, b and B as linear functions of the model's coefficients.
struct Quadratic {
  double constant = 0;
  Eigen::VectorXd b;
  Eigen::MatrixXd matrix;
  /// Per term: its coefficient's factor, and the one or two parameters that it is a product of (−1: none).
  struct Part {
    double factor = 1;
    Index i = -1, j = -1;
  };
  std::vector<Part> parts;
};

/// The terms with everything held multiplied in; nothing if one is of higher order.
std::optional<Quadratic> quadratic_of(const Space& space, const Polynomial& model,
                                      const Eigen::VectorXd& held, std::vector<Index>& parameters) {
  Quadratic q;
  const Polynomial::State& s = model.state();
  std::vector<Index> place(std::size_t(space.size()), -1);
  for (const Term& term : s.terms)
    for (const Factor& f : term.factors)
      if (space[f.parameter].is_between()) place[std::size_t(f.parameter)] = 0;
  for (Index j = 0; j < space.size(); ++j)
    if (place[std::size_t(j)] == 0) {
      place[std::size_t(j)] = Index(parameters.size());
      parameters.push_back(j);
    }
  const auto k = Index(parameters.size());
  q.b.setZero(k);
  q.matrix.setZero(k, k);
  for (std::size_t t = 0; t < s.terms.size(); ++t) {
    Quadratic::Part part;
    Term rest;
    for (const Factor& f : s.terms[t].factors) {
      const Index at = place[std::size_t(f.parameter)];
      if (at < 0) {
        rest.factors.push_back(f);
        continue;
      }
      for (int power = 0; power < f.power; ++power) {
        if (part.j >= 0) return std::nullopt;
        (part.i < 0 ? part.i : part.j) = at;
      }
    }
    if (!rest.factors.empty()) part.factor = model_matrix(space, {rest}, held.transpose())(0, 0);
    const double value = part.factor * s.beta[Index(t)];
    if (part.i < 0)
      q.constant += value;
    else if (part.j < 0)
      q.b[part.i] += value;
    else
      q.matrix(part.i, part.j) += value / 2, q.matrix(part.j, part.i) += value / 2;
    q.parts.push_back(part);
  }
  return q;
}

Eigen::VectorXd natural_point(const Space& space, const std::vector<Index>& parameters, Eigen::VectorXd held,
                              const Eigen::VectorXd& coded) {
  for (std::size_t i = 0; i < parameters.size(); ++i)
    held[parameters[i]] = space.natural(parameters[i], coded[Index(i)]);
  return held;
}

bool in_region(const Space& space, const Eigen::VectorXd& point) {
  for (Index j = 0; j < space.size(); ++j) {
    const double slack = 1e-9 * (space[j].high - space[j].low);
    if (!space[j].is_choice() && (point[j] < space[j].low - slack || point[j] > space[j].high + slack))
      return false;
  }
  return space.allows(point);
}

/// The largest of bᵀx + xᵀBx on ‖x‖ = radius, in the coordinates of B's eigenvectors (values ascending).
Eigen::VectorXd highest_on_sphere(const Eigen::VectorXd& values, const Eigen::VectorXd& b, double radius) {
  const Index k = values.size();
  const double top = values[k - 1], scale = std::max(values.cwiseAbs().maxCoeff(), b.norm() / radius);
  const auto at = [&](double mu) { return Eigen::VectorXd(0.5 * b.array() / (mu - values.array())); };
  double low = top + 1e-12 * scale, high = top + b.norm() / radius + scale;
  Eigen::VectorXd x = at(low);
  if (x.norm() < radius) {
    // Hardly any slope along the steepest axis: what is missing goes along it.
    x[k - 1] = std::copysign(std::sqrt(radius * radius - x.head(k - 1).squaredNorm()), b[k - 1]);
    return x;
  }
  for (int step = 0; step < 200; ++step) {
    const double mu = 0.5 * (low + high);
    (at(mu).norm() > radius ? low : high) = mu;
  }
  return at(high);
}

/// \param width  of the interval, in standard errors.
CanonicalAnalysis::Axis axis_of(const Quadratic& q, const Polynomial::State& s, double value,
                                const Eigen::VectorXd& direction, double width) {
  CanonicalAnalysis::Axis axis;
  axis.value = value;
  axis.direction = direction;
  Index biggest = 0;
  axis.direction.cwiseAbs().maxCoeff(&biggest);
  if (axis.direction[biggest] < 0) axis.direction *= -1;
  // uᵀBu is linear in the coefficients, and so is its standard error.
  Eigen::VectorXd row = Eigen::VectorXd::Zero(Index(q.parts.size()));
  for (std::size_t t = 0; t < q.parts.size(); ++t)
    if (q.parts[t].j >= 0)
      row[Index(t)] = q.parts[t].factor * axis.direction[q.parts[t].i] * axis.direction[q.parts[t].j];
  const double error = std::sqrt(s.sigma2) * (row.transpose() * s.factor).norm();
  axis.low = axis.value - width * error;
  axis.high = axis.value + width * error;
  return axis;
}

/// The highest or lowest points at radii 0 … √k. \param b  slopes along the eigenvectors.
std::vector<RidgePoint> path(const SymmetricEigen& eigen, const Eigen::VectorXd& b, bool high,
                             const std::function<void(const Eigen::VectorXd&, RidgePoint&)>& describe) {
  std::vector<RidgePoint> out;
  const Eigen::VectorXd values = high ? eigen.values : Eigen::VectorXd(-eigen.values.reverse());
  const Eigen::VectorXd slope = high ? b : Eigen::VectorXd(-b.reverse());
  for (int step = 0; step <= 10; ++step) {
    RidgePoint r;
    r.radius = 0.1 * step * std::sqrt(double(b.size()));
    Eigen::VectorXd x = step == 0 ? Eigen::VectorXd(Eigen::VectorXd::Zero(b.size()))
                                  : highest_on_sphere(values, slope, r.radius);
    if (!high) x = x.reverse().eval();
    describe(eigen.vectors * x, r);
    out.push_back(std::move(r));
  }
  return out;
}

}  // namespace

std::optional<CanonicalAnalysis> canonical_analysis(const Space& space, const Polynomial& model,
                                                    const Eigen::VectorXd& held, double level,
                                                    std::string& why) {
  CanonicalAnalysis out;
  const Polynomial::State& s = model.state();
  const auto found = quadratic_of(space, model, held, out.parameters);
  if (!found) {
    why = "the model has terms of third order or more: extremes searches it";
    return std::nullopt;
  }
  const Quadratic& q = *found;
  if (out.parameters.empty()) {
    why = "no parameter that varies continuously is in the model";
    return std::nullopt;
  }
  if (!(q.matrix.cwiseAbs().maxCoeff() > 0)) {
    why = "the model has no squares or products, so it is flat nowhere: its best lies at the border";
    return std::nullopt;
  }
  const auto k = Index(out.parameters.size());
  const SymmetricEigen eigen = symmetric_eigen(q.matrix);
  const double largest = eigen.values.cwiseAbs().maxCoeff();
  const double width = student_t_width(level, s.degrees_of_freedom);
  int up = 0, down = 0, flat = 0, open = 0;
  for (Index i = 0; i < k; ++i) {
    CanonicalAnalysis::Axis axis = axis_of(q, s, eigen.values[i], eigen.vectors.col(i), width);
    if (std::abs(axis.value) < 1e-12 * largest) axis.value = axis.low = axis.high = 0;  // no term bends it
    open += axis.low < 0 && axis.high > 0;
    (std::abs(axis.value) < 0.05 * largest ? flat : axis.value > 0 ? up : down)++;
    out.axes.push_back(std::move(axis));
  }
  out.kind = flat > 0 ? "ridge" : up == 0 ? "maximum" : down == 0 ? "minimum" : "saddle";
  if (open > 0)
    out.note = fmt::format("the interval of {} curvature{} holds zero, so that the kind is not certain", open,
                           open == 1 ? "" : "s");
  const Eigen::VectorXd b = eigen.vectors.transpose() * q.b;
  const auto describe_point = [&](const Eigen::VectorXd& coded, Eigen::VectorXd& point, double& value,
                                  double& sd) {
    point = natural_point(space, out.parameters, held, coded);
    const Prediction p = model.predict(point.transpose(), {.variance = true});
    value = p.mean(0, 0);
    sd = std::sqrt(p.model_variance(0, 0));
    return in_region(space, point);
  };
  if (eigen.values.cwiseAbs().minCoeff() > 1e-9 * largest) {
    const Eigen::VectorXd x = eigen.vectors * (-0.5 * b.array() / eigen.values.array()).matrix();
    out.inside = describe_point(x, out.point, out.value, out.sd);
  }
  for (const bool high : {true, false}) {
    for (RidgePoint& r : path(eigen, b, high, [&](const Eigen::VectorXd&x, RidgePoint&point) {
           point.inside = describe_point(x, point.point, point.value, point.sd);
         }))
      (high ? out.highest : out.lowest).push_back(std::move(r));
  }
  return out;
}

}  // namespace renth
