#include <cmath>
#include <renth/numeric/dense.hpp>
#include <renth/space/features.hpp>
#include <renth/surrogate/nearest_kriging.hpp>
#include <renth/surrogate/process.hpp>
#include <renth/surrogate/sound.hpp>

namespace renth {

/// The runs near one point, what each weighs in its mean, and how far that is right.
struct NearestKriging::Local {
  std::vector<int> rows;
  Eigen::MatrixXd runs;  // m × f, scaled
  Eigen::VectorXd k, weights;
  double variance = 0;  // as a share of σ²
};

NearestKriging::NearestKriging(State state)
    : state_(std::move(state)), columns_(state_.runs.transpose()), tree_(state_.runs) {}

void NearestKriging::at(const double* x, Local& local) const {
  tree_.nearest(x, neighbours, local.rows);
  const auto m = Eigen::Index(local.rows.size()), f = state_.runs.cols();
  local.runs.resize(m, f);
  for (Eigen::Index i = 0; i < m; ++i)
    local.runs.row(i) = columns_.col(local.rows[std::size_t(i)]).transpose();
  Eigen::MatrixXd k;
  correlation_matrix(state_.kernel, local.runs, state_.nugget, k);
  local.k.resize(m);
  kernels::correlations(state_.kernel, x, local.runs.data(), m, f, m, local.k.data());
  local.weights = PositiveFactor(k).solve(local.k);
  local.variance = std::max(0.0, 1 - local.weights.dot(local.k));
}

Prediction NearestKriging::answer(Points points, Want want) const {
  const Eigen::Index count = points.rows();
  Prediction out;
  out.degrees_of_freedom = double(state_.runs.rows() - state_.beta.size());
  const Eigen::MatrixXd x = scaled_features(state_.space, state_.theta, points).transpose();
  out.mean = (model_matrix(state_.space, state_.trend, points) * state_.beta).array() + state_.centre;
  if (want.variance) {
    out.model_variance.resize(count, 1);
    out.noise_variance.setConstant(count, 1, state_.nugget_is_noise ? state_.sigma2 * state_.nugget : 0.0);
  }
  Eigen::MatrixXd gradient;
  const std::vector<int> parameter = feature_parameters(state_.space), length = feature_lengths(state_.space);
  if (want.gradient) {
    gradient.resize(count, points.cols());
    for (Eigen::Index j = 0; j < points.cols(); ++j)
      gradient.col(j) = model_matrix_slope(state_.space, state_.trend, points, j) * state_.beta;
  }
  Local local;
  for (Eigen::Index i = 0; i < count; ++i) {
    at(x.col(i).data(), local);
    const auto m = Eigen::Index(local.rows.size());
    for (Eigen::Index r = 0; r < m; ++r)
      out.mean(i, 0) += local.weights[r] * state_.residual[local.rows[std::size_t(r)]];
    if (want.variance) out.model_variance(i, 0) = state_.sigma2 * local.variance;
    if (!want.gradient) continue;
    // d(k)ᵀK⁻¹r, the same runs staying near.
    Eigen::MatrixXd k;
    correlation_matrix(state_.kernel, local.runs, state_.nugget, k);
    Eigen::VectorXd pull(m), near(m), slope(m);
    for (Eigen::Index r = 0; r < m; ++r) pull[r] = state_.residual[local.rows[std::size_t(r)]];
    pull = PositiveFactor(k).solve(pull);
    kernels::correlations_and_slopes(state_.kernel, x.col(i).data(), local.runs.data(), m, x.rows(), m,
                                     near.data(), slope.data());
    for (Eigen::Index f = 0; f < x.rows(); ++f) {
      const Parameter& p = state_.space[parameter[f]];
      if (p.is_choice()) continue;
      double sum = 0;
      for (Eigen::Index r = 0; r < m; ++r) {
        const double d = x(f, i) - local.runs(r, f);
        sum -= slope[r] * pull[r] * d * kernels::slope_factor(state_.kernel, d);
      }
      gradient(i, parameter[f]) += sum / (state_.theta[length[f]] * (p.high - p.low));
    }
  }
  if (want.gradient) out.mean_gradient.push_back(std::move(gradient));
  return out;
}

Eigen::MatrixXd NearestKriging::joint_covariance(Points points, Eigen::Index) const {
  const Eigen::Index count = points.rows(), f = state_.runs.cols();
  const Eigen::MatrixXd x = scaled_features(state_.space, state_.theta, points);
  const Eigen::MatrixXd columns = x.transpose();
  std::vector<Local> locals(static_cast<std::size_t>(count));
  for (Eigen::Index i = 0; i < count; ++i) at(columns.col(i).data(), locals[std::size_t(i)]);
  // cov(Z_i − b_iᵀY, Z_j − b_jᵀY): exact under the model, whichever runs each uses.
  const auto correlation = [&](const double* point, const Eigen::MatrixXd& runs, Eigen::VectorXd& out) {
    out.resize(runs.rows());
    kernels::correlations(state_.kernel, point, runs.data(), runs.rows(), f, runs.rows(), out.data());
  };
  Eigen::MatrixXd out(count, count), prior;
  correlation_matrix(state_.kernel, x, 0, prior);
  Eigen::VectorXd k;
  for (Eigen::Index j = 0; j < count; ++j) {
    const Local& b = locals[std::size_t(j)];
    out(j, j) = b.variance;
    for (Eigen::Index i = j + 1; i < count; ++i) {
      const Local& a = locals[std::size_t(i)];
      if (prior(i, j) < 1e-6) {  // nothing in common that counts
        out(i, j) = out(j, i) = 0;
        continue;
      }
      double c = prior(i, j);
      correlation(columns.col(i).data(), b.runs, k);
      c -= b.weights.dot(k);
      correlation(columns.col(j).data(), a.runs, k);
      c -= a.weights.dot(k);
      for (Eigen::Index r = 0; r < a.runs.rows(); ++r) {
        const int row = a.rows[std::size_t(r)];
        correlation(columns_.col(row).data(), b.runs, k);
        for (std::size_t s = 0; s < b.rows.size(); ++s)
          if (b.rows[s] == row) k[Eigen::Index(s)] += state_.nugget;
        c += a.weights[r] * b.weights.dot(k);
      }
      out(i, j) = out(j, i) = c;
    }
  }
  return state_.sigma2 * out;
}

Archive NearestKriging::save() const {
  ArchiveWriter out;
  state_.Process::save(out);
  out.matrix("runs", state_.runs);
  out.matrix("residual", state_.residual);
  return out.take("nearest-kriging", 1);
}

std::unique_ptr<const Surrogate> NearestKriging::load(const Archive& archive) {
  ArchiveReader in(archive.bytes);
  State s;
  s.Process::load(in);
  s.runs = in.matrix();
  s.residual = in.vector();
  need_sound(are_runs(s.runs, s.space) && is_finite(s.residual, s.runs.rows()));
  return std::make_unique<NearestKriging>(std::move(s));
}

}  // namespace renth
