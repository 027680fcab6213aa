#include <cmath>
#include <limits>
#include <renth/numeric/distributions.hpp>
#include <renth/surrogate/polynomial.hpp>

namespace renth {

Prediction Polynomial::predict(Points points, Want want) const {
  Prediction out;
  const Eigen::MatrixXd x = model_matrix(state_.space, state_.terms, points);
  out.mean = x * state_.beta;
  out.degrees_of_freedom = state_.degrees_of_freedom;
  if (want.variance) {
    out.model_variance = (x * state_.factor).rowwise().squaredNorm() * state_.sigma2;
    out.noise_variance = Eigen::MatrixXd::Constant(points.rows(), 1, state_.sigma2);
  }
  if (want.gradient) {
    Eigen::MatrixXd gradient(points.rows(), points.cols());
    for (Eigen::Index j = 0; j < points.cols(); ++j)
      gradient.col(j) = model_matrix_slope(state_.space, state_.terms, points, j) * state_.beta;
    out.mean_gradient.push_back(std::move(gradient));
  }
  return out;
}

Eigen::MatrixXd Polynomial::covariance(Points points, Eigen::Index) const {
  const Eigen::MatrixXd half = model_matrix(state_.space, state_.terms, points) * state_.factor;
  return half * half.transpose() * state_.sigma2;
}

Eigen::VectorXd Polynomial::leverage(Points runs) const {
  return (model_matrix(state_.space, state_.terms, runs) * state_.factor).rowwise().squaredNorm();
}

std::vector<Coefficient> Polynomial::coefficients(double level) const {
  const double width = student_t_width(level, state_.degrees_of_freedom);
  std::vector<Coefficient> out;
  for (std::size_t t = 0; t < state_.terms.size(); ++t) {
    const auto i = static_cast<Eigen::Index>(t);
    Coefficient c;
    c.term = state_.terms[t];
    c.value = state_.beta[i];
    c.std_error = std::sqrt(state_.sigma2) * state_.factor.row(i).norm();
    c.t = c.value / c.std_error;
    c.p = student_t_two_sided(c.t, state_.degrees_of_freedom);
    c.low = c.value - width * c.std_error;
    c.high = c.value + width * c.std_error;
    c.vif = state_.vif[i];
    c.standardised = state_.standardised[i];
    out.push_back(std::move(c));
  }
  return out;
}

Archive Polynomial::save() const {
  ArchiveWriter out;
  save_space(out, state_.space);
  out.text(describe(state_.space, state_.terms));
  out.matrix(state_.beta);
  out.matrix(state_.factor);
  out.matrix(state_.vif);
  out.matrix(state_.standardised);
  out.number(state_.sigma2);
  out.number(state_.degrees_of_freedom);
  return {"polynomial", 1, out.take()};
}

std::unique_ptr<const Surrogate> Polynomial::load(const Archive& archive) {
  ArchiveReader in(archive.bytes);
  State s;
  s.space = load_space(in);
  const std::string text = in.text();
  // A model without a constant says so, since parse_terms puts one in.
  s.terms = parse_terms(s.space, text.rfind("1", 0) == 0 ? text : text + " - 1");
  s.beta = in.matrix();
  s.factor = in.matrix();
  s.vif = in.matrix();
  s.standardised = in.matrix();
  s.sigma2 = in.number();
  s.degrees_of_freedom = in.number();
  return std::make_unique<Polynomial>(std::move(s));
}

}  // namespace renth
