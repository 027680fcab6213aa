#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <renth/numeric/dense.hpp>
#include <renth/space/features.hpp>
#include <renth/surrogate/moving.hpp>
#include <renth/surrogate/sound.hpp>

namespace renth {

using Index = Eigen::Index;

namespace {

/// The shortest l with lᵀA = fᵀ: A(AᵀA)⁻¹f where the runs near by carry all terms well, else by the
/// pseudo-inverse.
Eigen::VectorXd least_weights(const Eigen::MatrixXd& a, const Eigen::VectorXd& f) {
  constexpr double well = 1e-4;  // ratio of pivots: squares leave eight digits
  Eigen::MatrixXd square = Eigen::MatrixXd::Zero(a.cols(), a.cols());
  square.selfadjointView<Eigen::Lower>().rankUpdate(a.transpose());
  const PositiveFactor factor(square);
  if (factor.is_definite()) {
    const Eigen::VectorXd pivots = factor.pivots();
    if (pivots.minCoeff() > well * pivots.maxCoeff()) return a * factor.solve(f);
  }
  return shortest_least_squares(a.transpose(), f, 1e-9);
}

}  // namespace

Eigen::VectorXd Moving::weights_at(const State& s, const Eigen::VectorXd& x, const Eigen::VectorXd& f,
                                   Index left_out) {
  const Index n = s.features.rows();
  Eigen::ArrayXd squared = (s.features.rowwise() - x.transpose()).rowwise().squaredNorm();
  if (left_out >= 0) squared[left_out] = std::numeric_limits<double>::infinity();
  std::vector<Index> order(static_cast<std::size_t>(n));
  std::iota(order.begin(), order.end(), 0);
  const auto closer = [&](Index a, Index b) {
    return squared[a] != squared[b] ? squared[a] < squared[b] : a < b;
  };
  const Index available = left_out >= 0 ? n - 1 : n, near = std::min<Index>(s.near, available);
  std::partial_sort(order.begin(), order.begin() + std::min(near + 1, available), order.end(), closer);
  // The first run without weight sets the width; when all have some, a little beyond the last.
  const double last = squared[order[std::size_t(near - 1)]];
  const double width =
      std::max(near < available ? squared[order[std::size_t(near)]] : 1.2 * last, last * 1.0001 + 1e-12);
  Eigen::VectorXd root(near);
  Eigen::MatrixXd a(near, s.matrix.cols());
  for (Index i = 0; i < near; ++i) {
    const Index row = order[std::size_t(i)];
    root[i] = std::pow(1 - squared[row] / width, 1.5);
    a.row(i) = root[i] * s.matrix.row(row);
  }
  const Eigen::VectorXd local = least_weights(a, f);
  Eigen::VectorXd out = Eigen::VectorXd::Zero(n);
  for (Index i = 0; i < near; ++i) out[order[std::size_t(i)]] = local[i] * root[i];
  return out;
}

Eigen::MatrixXd Moving::all_weights(Points points) const {
  const Eigen::MatrixXd x = renth::features(state_.space, points),
                        f = model_matrix(state_.space, state_.terms, points);
  Eigen::MatrixXd out(points.rows(), state_.y.size());
  for (Index i = 0; i < points.rows(); ++i)
    out.row(i) = weights_at(state_, x.row(i).transpose(), f.row(i).transpose()).transpose();
  return out;
}

Prediction Moving::answer(Points points, Want want) const {
  Prediction out;
  const Eigen::MatrixXd l = all_weights(points);
  out.mean = l * state_.y;
  out.degrees_of_freedom = double(std::max<Index>(1, state_.y.size() - state_.matrix.cols()));
  if (want.variance) {
    const double own = state_.noisy ? 0 : state_.variance;
    out.model_variance = (l.rowwise().squaredNorm().array() * state_.variance + own).matrix();
    out.noise_variance.setConstant(points.rows(), 1, state_.noisy ? state_.variance : 0.0);
  }
  if (want.gradient) {
    Eigen::MatrixXd gradient = Eigen::MatrixXd::Zero(points.rows(), points.cols());
    for (Index j = 0; j < points.cols(); ++j) {
      const Parameter& p = state_.space[j];
      if (p.is_choice()) continue;
      const double step = 1e-6 * (p.high - p.low);
      Eigen::MatrixXd up = points, down = points;
      up.col(j).array() += step;
      down.col(j).array() -= step;
      gradient.col(j) = (all_weights(up) - all_weights(down)) * state_.y / (2 * step);
    }
    out.mean_gradient.push_back(std::move(gradient));
  }
  return out;
}

Eigen::MatrixXd Moving::joint_covariance(Points points, Index) const {
  const Eigen::MatrixXd l = all_weights(points);
  Eigen::MatrixXd out = l * l.transpose() * state_.variance;
  if (!state_.noisy) out.diagonal().array() += state_.variance;
  return out;
}

Archive Moving::save() const {
  ArchiveWriter out;
  save_space(out, state_.space);
  out.text("model", state_.model);
  out.count("near", state_.near);
  out.matrix("features", state_.features);
  out.matrix("matrix", state_.matrix);
  out.matrix("y", state_.y);
  out.number("variance", state_.variance);
  out.count("noisy", state_.noisy);
  return out.take("moving", 1);
}

std::unique_ptr<const Surrogate> Moving::load(const Archive& archive) {
  ArchiveReader in(archive.bytes);
  State s;
  s.space = load_space(in);
  s.model = in.text();
  s.terms = parse_terms(s.space, s.model);
  const std::int64_t near = in.count();
  s.features = in.matrix();
  s.matrix = in.matrix();
  s.y = in.vector();
  s.variance = in.number();
  s.noisy = in.count() != 0;
  const Eigen::Index n = s.features.rows();
  need_sound(are_runs(s.features, s.space) && near >= 1 && near <= n &&
             is_finite(s.matrix, n, Eigen::Index(s.terms.size())) && is_finite(s.y, n));
  s.near = int(near);
  return std::make_unique<Moving>(std::move(s));
}

}  // namespace renth
