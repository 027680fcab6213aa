#include <cmath>
#include <limits>
#include <renth/numeric/distributions.hpp>
#include <renth/surrogate/carried_back.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <renth/surrogate/sound.hpp>

namespace renth {

Prediction Polynomial::answer(Points points, Want want) const {
  Prediction out;
  out.mean = mean_(points);
  out.degrees_of_freedom = state_.degrees_of_freedom;
  if (want.variance) {
    const Eigen::MatrixXd x = model_matrix(state_.space, state_.terms, points);
    out.model_variance = (x * state_.factor).rowwise().squaredNorm() * state_.sigma2;
    out.noise_variance.setConstant(points.rows(), 1, state_.sigma2 + state_.plot_variance);
  }
  if (want.gradient) {
    Eigen::MatrixXd gradient(points.rows(), points.cols());
    for (Eigen::Index j = 0; j < points.cols(); ++j)
      gradient.col(j) = model_matrix_slope(state_.space, state_.terms, points, j) * state_.beta;
    out.mean_gradient.push_back(std::move(gradient));
  }
  if (!state_.transform.none()) carry_back(out, state_.transform);
  return out;
}

Intervals Polynomial::intervals(const Prediction& p, double level) const {
  if (state_.transform.none()) return Surrogate::intervals(p, level);
  return carried_back_intervals(p, state_.transform,
                                [&](const Prediction& z) { return Surrogate::intervals(z, level); });
}

Eigen::MatrixXd Polynomial::joint_covariance(Points points, Eigen::Index) const {
  const Eigen::MatrixXd x = model_matrix(state_.space, state_.terms, points);
  Eigen::MatrixXd half = x * state_.factor;
  if (!state_.transform.none()) {
    const Eigen::VectorXd z = x * state_.beta;
    for (Eigen::Index i = 0; i < z.size(); ++i)
      half.row(i) *= state_.transform.slope(state_.transform.back(z[i]));
  }
  return half * half.transpose() * state_.sigma2;
}

std::vector<Coefficient> Polynomial::coefficients(double level) const {
  std::vector<Coefficient> out;
  for (std::size_t t = 0; t < state_.terms.size(); ++t) {
    const auto i = static_cast<Eigen::Index>(t);
    Coefficient c;
    c.term = state_.terms[t];
    c.value = state_.beta[i];
    c.std_error = std::sqrt(state_.sigma2) * state_.factor.row(i).norm();
    c.t = c.value / c.std_error;
    const double freedom = state_.freedom.size() > 0 ? state_.freedom[i] : state_.degrees_of_freedom,
                 width = student_t_width(level, freedom);
    c.p = student_t_two_sided(c.t, freedom);
    c.low = c.value - width * c.std_error;
    c.high = c.value + width * c.std_error;
    c.vif = state_.vif[i];
    c.standardised = state_.standardised[i];
    out.push_back(std::move(c));
  }
  return out;
}

const Polynomial* polynomial_of(const Surrogate& surrogate) {
  return dynamic_cast<const Polynomial*>(&surrogate.underlying());
}

Archive Polynomial::save() const {
  ArchiveWriter out;
  save_space(out, state_.space);
  out.text("terms", describe(state_.space, state_.terms));
  out.matrix("beta", state_.beta);
  out.matrix("factor", state_.factor);
  out.matrix("vif", state_.vif);
  out.matrix("standardised", state_.standardised);
  out.number("sigma2", state_.sigma2);
  out.number("degrees of freedom", state_.degrees_of_freedom);
  out.matrix("tail", state_.tail);
  out.number("lambda", state_.transform.lambda);
  if (state_.freedom.size() == 0) return out.take("polynomial", 2);
  out.number("plot variance", state_.plot_variance);
  out.matrix("freedom", state_.freedom);
  return out.take("polynomial", 3);
}

std::unique_ptr<const Surrogate> Polynomial::load(const Archive& archive) {
  ArchiveReader in(archive.bytes);
  State s;
  s.space = load_space(in);
  const std::string text = in.text();
  // A model without a constant says so, since parse_terms puts one in.
  s.terms = parse_terms(s.space, text.rfind("1", 0) == 0 ? text : text + " - 1");
  s.beta = in.vector();
  s.factor = in.matrix();
  s.vif = in.vector();
  s.standardised = in.vector();
  s.sigma2 = in.number();
  s.degrees_of_freedom = in.number();
  if (archive.version > 1) {
    s.tail = in.vector();
    s.transform.lambda = in.number();
  }
  if (archive.version > 2) {
    s.plot_variance = in.number();
    s.freedom = in.vector();
  }
  const auto p = Eigen::Index(s.terms.size());
  need_sound(p > 0 && is_finite(s.beta, p) && s.factor.rows() == p && s.vif.size() == p &&
             s.standardised.size() == p && (s.tail.size() == 0 || s.tail.size() == p) &&
             std::isfinite(s.transform.lambda) && (s.freedom.size() == 0 || s.freedom.size() == p));
  return std::make_unique<Polynomial>(std::move(s));
}

}  // namespace renth
