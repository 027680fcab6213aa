#include <algorithm>
#include <cmath>
#include <renth/surrogate/chaos.hpp>
#include <renth/surrogate/sound.hpp>
#include <renth/terms/terms.hpp>

namespace renth {

using Index = Eigen::Index;

void chaos_recurrence(const Parameter& p, int degree, Eigen::VectorXd& a, Eigen::VectorXd& b) {
  a.setZero(degree + 1);
  b.setZero(degree + 1);
  if (p.kind != Parameter::Kind::levels) {
    for (int j = 1; j <= degree; ++j) b[j] = j / std::sqrt(4.0 * j * j - 1);
    return;
  }
  const auto n = Index(p.values.size());
  Eigen::ArrayXd x(n), before = Eigen::ArrayXd::Zero(n), now = Eigen::ArrayXd::Ones(n);
  for (Index i = 0; i < n; ++i) x[i] = 2 * (p.values[std::size_t(i)] - p.low) / (p.high - p.low) - 1;
  for (int j = 0; j < degree; ++j) {
    a[j] = (x * now * now).mean();
    const Eigen::ArrayXd next = (x - a[j]) * now - b[j] * before;
    b[j + 1] = std::sqrt(next.square().mean());
    if (b[j + 1] < 1e-12) return;  // no more polynomials than levels
    before = now;
    now = next / b[j + 1];
  }
}

namespace {

/// Columns 1 … degree of the orthonormal polynomials of one parameter, and their slopes by natural value.
struct OneParameter {
  Eigen::MatrixXd value, slope;
};

OneParameter one_parameter(const Space& space, Index j, int degree, Points points) {
  const Parameter& p = space[j];
  const Index m = points.rows();
  OneParameter out{Eigen::MatrixXd::Zero(m, degree + 1), Eigen::MatrixXd::Zero(m, degree + 1)};
  if (p.is_choice()) {
    const Eigen::MatrixXd columns = contrasts(int(p.choices.size()));
    for (Index i = 0; i < m; ++i)
      for (int k = 1; k <= degree; ++k) out.value(i, k) = columns(Index(points(i, j)), k - 1);
    return out;
  }
  Eigen::VectorXd a, b;
  chaos_recurrence(p, degree, a, b);
  const double scale = 2 / (p.high - p.low);
  const Eigen::ArrayXd x = (points.col(j).array() - p.low) * scale - 1;
  out.value.col(0).setOnes();
  for (int k = 1; k <= degree && b[k] > 0; ++k) {
    Eigen::ArrayXd v = (x - a[k - 1]) * out.value.col(k - 1).array();
    Eigen::ArrayXd s = (x - a[k - 1]) * out.slope.col(k - 1).array() + scale * out.value.col(k - 1).array();
    if (k > 1) {
      v -= b[k - 1] * out.value.col(k - 2).array();
      s -= b[k - 1] * out.slope.col(k - 2).array();
    }
    out.value.col(k) = v / b[k];
    out.slope.col(k) = s / b[k];
  }
  return out;
}

std::vector<OneParameter> all_parameters(const Space& space, const std::vector<ChaosTerm>& terms,
                                         Points points) {
  std::vector<int> degree(static_cast<std::size_t>(space.size()), 0);
  for (const ChaosTerm& t : terms)
    for (const ChaosTerm::Factor& f : t.factors)
      degree[std::size_t(f.parameter)] = std::max(degree[std::size_t(f.parameter)], f.degree);
  std::vector<OneParameter> out;
  for (Index j = 0; j < space.size(); ++j)
    out.push_back(one_parameter(space, j, degree[std::size_t(j)], points));
  return out;
}

}  // namespace

Eigen::MatrixXd chaos_matrix(const Space& space, const std::vector<ChaosTerm>& terms, Points points) {
  const std::vector<OneParameter> one = all_parameters(space, terms, points);
  Eigen::MatrixXd out(points.rows(), Index(terms.size()));
  for (std::size_t t = 0; t < terms.size(); ++t) {
    auto column = out.col(Index(t)).array();
    column.setOnes();
    for (const ChaosTerm::Factor& f : terms[t].factors)
      column *= one[std::size_t(f.parameter)].value.col(f.degree).array();
  }
  return out;
}

Prediction Chaos::answer(Points points, Want want) const {
  const Index m = points.rows();
  Prediction out;
  const Eigen::MatrixXd psi = chaos_matrix(state_.space, state_.terms, points);
  out.mean = psi * state_.beta;
  out.degrees_of_freedom = state_.degrees_of_freedom;
  if (want.variance) {
    const double own = state_.noisy ? 0 : state_.variance;
    out.model_variance =
        ((psi * state_.factor).rowwise().squaredNorm().array() * state_.variance + own).matrix();
    out.noise_variance.setConstant(m, 1, state_.noisy ? state_.variance : 0.0);
  }
  if (want.gradient) {
    const std::vector<OneParameter> one = all_parameters(state_.space, state_.terms, points);
    Eigen::MatrixXd gradient = Eigen::MatrixXd::Zero(m, points.cols());
    for (std::size_t t = 0; t < state_.terms.size(); ++t)
      for (const ChaosTerm::Factor& by : state_.terms[t].factors) {
        Eigen::ArrayXd column = Eigen::ArrayXd::Constant(m, state_.beta[Index(t)]);
        for (const ChaosTerm::Factor& f : state_.terms[t].factors) {
          const OneParameter& p = one[std::size_t(f.parameter)];
          column *= (f == by ? p.slope : p.value).col(f.degree).array();
        }
        gradient.col(by.parameter).array() += column;
      }
    out.mean_gradient.push_back(std::move(gradient));
  }
  return out;
}

Eigen::MatrixXd Chaos::joint_covariance(Points points, Index) const {
  const Eigen::MatrixXd half = chaos_matrix(state_.space, state_.terms, points) * state_.factor;
  Eigen::MatrixXd out = half * half.transpose() * state_.variance;
  if (!state_.noisy) out.diagonal().array() += state_.variance;
  return out;
}

Archive Chaos::save() const {
  ArchiveWriter out;
  save_space(out, state_.space);
  out.count("terms", Index(state_.terms.size()));
  for (const ChaosTerm& t : state_.terms) {
    out.count("factors", Index(t.factors.size()));
    for (const ChaosTerm::Factor& f : t.factors) {
      out.count("parameter", f.parameter);
      out.count("degree", f.degree);
    }
  }
  out.matrix("beta", state_.beta);
  out.matrix("factor", state_.factor);
  out.number("variance", state_.variance);
  out.count("noisy", state_.noisy);
  out.number("degrees of freedom", state_.degrees_of_freedom);
  out.count("degree", state_.degree);
  out.number("norm", state_.norm);
  return out.take("chaos", 1);
}

std::unique_ptr<const Surrogate> Chaos::load(const Archive& archive) {
  ArchiveReader in(archive.bytes);
  State s;
  s.space = load_space(in);
  for (std::int64_t left = in.count(); left > 0; --left) {
    ChaosTerm t;
    for (std::int64_t f = in.count(); f > 0; --f) {
      const std::int64_t parameter = in.count(), degree = in.count();
      need_sound(parameter >= 0 && parameter < s.space.size() && degree >= 1 && degree <= 1000);
      const Parameter& p = s.space[parameter];
      need_sound(!p.is_choice() || degree < std::int64_t(p.choices.size()));
      t.factors.push_back({int(parameter), int(degree)});
    }
    s.terms.push_back(std::move(t));
  }
  s.beta = in.vector();
  s.factor = in.matrix();
  s.variance = in.number();
  s.noisy = in.count() != 0;
  s.degrees_of_freedom = in.number();
  s.degree = int(std::clamp<std::int64_t>(in.count(), 0, 1000));
  s.norm = in.number();
  const auto p = Eigen::Index(s.terms.size());
  need_sound(p > 0 && is_finite(s.beta, p) && is_finite(s.factor, p, s.factor.cols()) &&
             s.factor.cols() <= p);
  return std::make_unique<Chaos>(std::move(s));
}

}  // namespace renth
