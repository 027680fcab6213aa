#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/export/tape_space.hpp>
#include <renth/export/tape_surrogate.hpp>
#include <renth/surrogate/along.hpp>
#include <renth/surrogate/blend.hpp>
#include <renth/surrogate/chaos.hpp>
#include <renth/surrogate/components.hpp>
#include <renth/surrogate/kriging_ensemble.hpp>
#include <renth/surrogate/layered.hpp>
#include <renth/surrogate/moving.hpp>
#include <renth/surrogate/nearest_kriging.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <renth/surrogate/rbf.hpp>
#include <renth/surrogate/reduced.hpp>
#include <renth/surrogate/rescaled.hpp>
#include <renth/surrogate/warped.hpp>

namespace renth {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {

VectorXd one_value(double v) {
  return VectorXd::Constant(1, v);
}

/// Carried back from a scale of the mean's; slope is dy/dz there.
void carry_back_on_tape(SurrogateOnTape& p, TapeVector mean, TapeVector slope) {
  p.mean = mean;
  if (p.variance) p.variance = p.variance * square(slope);
  for (TapeVector& part : p.parts) part = part * slope;
}

/// y from z as Transform::back() and slope() have them.
void carry_back_on_tape(SurrogateOnTape& p, const Transform& transform) {
  Tape& tape = p.mean.tape();
  const double lambda = transform.lambda;
  TapeVector y = exp(p.mean);
  if (lambda != 0) {
    const TapeVector power = lambda * p.mean;
    const double beyond = lambda > 0 ? 0 : std::numeric_limits<double>::infinity();
    y = tape.choose(not_above(power, tape.constant(-1)), tape.constant(beyond),
                    exp(tape.of_one(Tape::Op::log1p, power) / tape.constant(lambda)));
  }
  carry_back_on_tape(p, y, tape.of_two(Tape::Op::power, y, tape.constant(1 - lambda)));
}

SurrogateOnTape polynomial_on_tape(const Polynomial& polynomial, TapeVector x, Want want) {
  Tape& tape = x.tape();
  const Polynomial::State& s = polynomial.state();
  const TapeVector row = terms_on_tape(s.space, s.terms, x);
  SurrogateOnTape out;
  out.mean = tape.affine(s.beta.transpose(), row);
  if (want.variance) out.variance = s.sigma2 * sum(square(tape.affine(s.factor.transpose(), row)));
  if (!s.transform.none()) carry_back_on_tape(out, s.transform);
  return out;
}

SurrogateOnTape chaos_on_tape(const Chaos& chaos, TapeVector x, Want want) {
  Tape& tape = x.tape();
  const Chaos::State& s = chaos.state();
  std::vector<int> degree(std::size_t(s.space.size()), 0);
  for (const ChaosTerm& t : s.terms)
    for (const ChaosTerm::Factor& f : t.factors)
      degree[std::size_t(f.parameter)] = std::max(degree[std::size_t(f.parameter)], f.degree);
  std::vector<TapeVector> columns;
  std::vector<int> first;  // of each parameter, the place of degree 1
  for (Index j = 0; j < s.space.size(); ++j) {
    const Parameter& p = s.space[j];
    const int most = degree[std::size_t(j)];
    first.push_back(int(columns.size()));
    if (most == 0) continue;
    const TapeVector value = tape.gather(x, {int(j)});
    if (p.is_choice()) {
      const TapeVector is = choice_on_tape(p, value);
      const MatrixXd table = contrasts(int(p.choices.size()));
      for (int k = 0; k < most; ++k) columns.push_back(tape.affine(table.col(k).transpose(), is));
      continue;
    }
    VectorXd a, b;
    chaos_recurrence(p, most, a, b);
    const TapeVector z = 2 / (p.high - p.low) * (value - p.low) - 1;
    TapeVector before, now = tape.constant(1);
    for (int k = 1; k <= most; ++k) {
      TapeVector next = b[k] > 0 ? (z - a[k - 1]) * now : tape.constant(0);
      if (b[k] > 0 && before) next = next - b[k - 1] * before;
      if (b[k] > 0) next = next / tape.constant(b[k]);
      columns.push_back(next);
      before = now;
      now = next;
    }
  }
  TapeVector row = tape.constant(1);
  if (!columns.empty()) {
    std::vector<std::vector<int>> products;
    for (const ChaosTerm& t : s.terms) {
      products.emplace_back();
      for (const ChaosTerm::Factor& f : t.factors)
        products.back().push_back(first[std::size_t(f.parameter)] + f.degree - 1);
    }
    row = products_on_tape(tape.join(columns), products);
  }
  SurrogateOnTape out;
  out.mean = tape.affine(s.beta.transpose(), row);
  if (want.variance)
    out.variance =
        s.variance * sum(square(tape.affine(s.factor.transpose(), row))) + (s.noisy ? 0 : s.variance);
  return out;
}

/// φ to the runs (n).
TapeVector radial_on_tape(RadialBasis basis, double c, TapeVector u, const MatrixXd& runs) {
  Tape& tape = u.tape();
  TapeVector squared;
  for (Index k = 0; k < runs.cols(); ++k) {
    const TapeVector d = tape.gather(u, {int(k)}) - tape.constant(VectorXd(runs.col(k)));
    squared = squared ? squared + square(d) : square(d);
  }
  switch (basis) {
    case RadialBasis::cubic:
      return squared * sqrt(squared);
    case RadialBasis::thin_plate: {
      const TapeVector least = tape.constant(1e-300);
      return 0.5 * (squared * tape.of_one(Tape::Op::log, tape.choose(less(squared, least), least, squared)));
    }
    case RadialBasis::multiquadric:
      return -1.0 * sqrt(squared + c * c);
    case RadialBasis::gaussian:
      return exp(-1 / (c * c) * squared);
  }
  return {};
}

SurrogateOnTape rbf_on_tape(const Rbf& rbf, TapeVector x, Want want) {
  Tape& tape = x.tape();
  const Rbf::State& s = rbf.state();
  const Index n = s.runs.rows(), p = Index(s.tail.size());
  const TapeVector k = radial_on_tape(s.basis, s.shape, features_on_tape(s.space, x), s.runs);
  const TapeVector t = terms_on_tape(s.space, s.tail, x);
  SurrogateOnTape out;
  out.mean = tape.affine(s.weights.head(n).transpose(), k) +
             tape.affine(s.weights.tail(p).transpose(), t, one_value(s.centre));
  if (!want.variance) return out;
  const RadialSystem::VarianceMaps maps = rbf.system().variance_maps();
  const TapeVector v = tape.affine(maps.tail, t);
  const TapeVector white = tape.affine(maps.white, k) - tape.affine(maps.white_tail, v);
  const TapeVector variance = ((tape.constant(maps.own) - 2 * sum(tape.affine(maps.tops, k) * v)) +
                               sum(v * tape.affine(maps.corner, v))) -
                              sum(square(white));
  out.variance = s.scale * at_least_zero(variance);
  return out;
}

SurrogateOnTape moving_on_tape(const Moving& moving, TapeVector x, Want want) {
  Tape& tape = x.tape();
  const Moving::State& s = moving.state();
  const int n = int(s.features.rows()), p = int(s.matrix.cols()), near = std::min(s.near, n);
  const TapeVector local = tape.method(
      Tape::Op::moving, 2, {features_on_tape(s.space, x), terms_on_tape(s.space, s.terms, x)},
      {n, int(s.features.cols()), p, near, tape.keep(s.features), tape.keep(s.matrix), tape.keep(s.y)},
      2 * (near + 1) + near * p + 2 * p * p + p + near);
  SurrogateOnTape out;
  out.mean = tape.gather(local, {0});
  if (want.variance) out.variance = s.variance * tape.gather(local, {1}) + (s.noisy ? 0 : s.variance);
  return out;
}

SurrogateOnTape blend_on_tape(const Blend& blend, TapeVector x, Want want) {
  std::vector<SurrogateOnTape> members;
  SurrogateOnTape out;
  bool known = true;
  for (std::size_t k = 0; k < blend.members().size(); ++k) {
    members.push_back(surrogate_on_tape(*blend.members()[k], x, want));
    const TapeVector part = blend.weights()[Index(k)] * members[k].mean;
    out.mean = out.mean ? out.mean + part : part;
    known = known && !members[k].parts.empty();
  }
  for (std::size_t k = 0; k < members.size() && want.variance; ++k) {
    const double w = blend.weights()[Index(k)], root = std::sqrt(std::max(0.0, w));
    const TapeVector apart = members[k].mean - out.mean;
    const TapeVector part = w * (members[k].variance + square(apart));
    out.variance = out.variance ? out.variance + part : part;
    if (!want.parts || !known) continue;
    for (const TapeVector& p : members[k].parts) out.parts.push_back(root * p);
    out.parts.push_back(root * apart);
  }
  return out;
}

SurrogateOnTape layered_on_tape(const Layered& layered, TapeVector x, Want want) {
  SurrogateOnTape out = surrogate_on_tape(layered.rest(), x, want);
  out.mean = out.mean + surrogate_on_tape(layered.base(), x, {}).mean;
  return out;
}

SurrogateOnTape reduced_on_tape(const Reduced& reduced, TapeVector x, Want want) {
  const std::vector<int> kept(reduced.kept().begin(), reduced.kept().end());
  return surrogate_on_tape(reduced.inner(), x.tape().gather(x, kept), want);
}

SurrogateOnTape rescaled_on_tape(const Rescaled& rescaled, TapeVector x, Want want) {
  SurrogateOnTape out = surrogate_on_tape(*rescaled.inner(), x, want);
  const double factor = rescaled.factor();
  if (out.variance) out.variance = factor * factor * out.variance;
  for (TapeVector& part : out.parts) part = factor * part;
  return out;
}

SurrogateOnTape warped_on_tape(const Warped& warped, TapeVector x, Want want) {
  SurrogateOnTape out = surrogate_on_tape(warped.inner(), x, want);
  const LogScale& scale = warped.scale();
  const TapeVector y = double(scale.sign) * (exp(out.mean) - scale.shift);
  carry_back_on_tape(out, y, double(scale.sign) * (double(scale.sign) * y + scale.shift));
  return out;
}

SurrogateOnTape along_on_tape(const Along& along, TapeVector x, Want want) {
  Tape& tape = x.tape();
  std::vector<TapeVector> means, variances;
  for (const auto& member : along.members()) {
    const SurrogateOnTape p = surrogate_on_tape(*member, x, {.variance = want.variance});
    means.push_back(p.mean);
    variances.push_back(p.variance);
  }
  SurrogateOnTape out;
  out.mean = tape.join(means);
  if (want.variance) out.variance = tape.join(variances);
  const MatrixXd& ways = along.directions();
  for (Index r = 0; r < ways.cols() && want.parts; ++r)
    out.parts.push_back(sqrt(at_least_zero(out.variance)) * tape.constant(VectorXd(ways.col(r))));
  return out;
}

SurrogateOnTape components_on_tape(const Components& components, TapeVector x, Want want) {
  Tape& tape = x.tape();
  const Components::State& s = components.state();
  const MatrixXd shapes = s.scale.asDiagonal() * s.shapes;
  const Index q = s.mean.size();
  std::vector<TapeVector> scores, variances;
  for (const auto& score : s.scores) {
    const SurrogateOnTape z = surrogate_on_tape(*score, x, {.variance = want.variance});
    scores.push_back(z.mean);
    variances.push_back(z.variance);
  }
  const VectorXd rest = s.noisy ? VectorXd::Zero(q) : s.left_over;
  SurrogateOnTape out;
  out.mean = tape.affine(shapes, tape.join(scores), s.mean);
  if (want.variance) out.variance = tape.affine(shapes.cwiseAbs2(), tape.join(variances), rest);
  if (!want.parts) return out;
  for (std::size_t k = 0; k < scores.size(); ++k)
    out.parts.push_back(sqrt(at_least_zero(variances[k])) * tape.constant(VectorXd(shapes.col(Index(k)))));
  for (Index j = 0; j < q; ++j) {
    VectorXd here = VectorXd::Zero(q);
    here[j] = std::sqrt(std::max(0.0, rest[j]));
    out.parts.push_back(tape.constant(here));
  }
  return out;
}

/// If the surrogate is one of this kind, it goes on the tape.
using Attempt = bool (*)(const Surrogate&, TapeVector, Want, SurrogateOnTape&);
template <class Kind, SurrogateOnTape (*put)(const Kind&, TapeVector, Want)>
bool attempt(const Surrogate& surrogate, TapeVector x, Want want, SurrogateOnTape& out) {
  const auto* kind = dynamic_cast<const Kind*>(&surrogate);
  if (kind) out = put(*kind, x, want);
  return kind != nullptr;
}

const Attempt attempts[] = {attempt<Polynomial, polynomial_on_tape>,
                            attempt<Kriging, kriging_on_tape>,
                            attempt<KrigingEnsemble, ensemble_on_tape>,
                            attempt<NearestKriging, nearest_on_tape>,
                            attempt<Layered, layered_on_tape>,
                            attempt<Chaos, chaos_on_tape>,
                            attempt<Rbf, rbf_on_tape>,
                            attempt<Moving, moving_on_tape>,
                            attempt<Blend, blend_on_tape>,
                            attempt<Reduced, reduced_on_tape>,
                            attempt<Rescaled, rescaled_on_tape>,
                            attempt<Warped, warped_on_tape>,
                            attempt<Along, along_on_tape>,
                            attempt<Components, components_on_tape>};

}  // namespace

SurrogateOnTape surrogate_on_tape(const Surrogate& surrogate, TapeVector x, Want want) {
  SurrogateOnTape out;
  for (const Attempt put : attempts)
    if (put(surrogate, x, want, out)) return out;
  throw Error("a surrogate of kind " + std::string(surrogate.kind()) + " cannot be exported so", "surrogates",
              "export model takes every kind");
}

}  // namespace renth
