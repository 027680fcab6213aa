#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/surrogate/kriging_ensemble.hpp>
#include <renth/surrogate/layered.hpp>
#include <renth/surrogate/nearest_kriging.hpp>
#include <renth/surrogate/sound.hpp>

namespace renth {
namespace {

/// What differs from member to member.
void save_own(ArchiveWriter& out, const Kriging::State& s) {
  out.count("kernel", static_cast<int>(s.kernel));
  out.matrix("theta", s.theta);
  out.number("nugget", s.nugget);
  out.count("nugget is noise", s.nugget_is_noise);
  out.matrix("beta", s.beta);
  out.number("sigma2", s.sigma2);
  out.number("log likelihood", s.log_likelihood);
  out.matrix("weights", s.weights);
}

/// \param s  with its space and trend.
void load_own(ArchiveReader& in, Kriging::State& s, Eigen::Index weight_count) {
  s.kernel = static_cast<Kernel>(std::clamp<std::int64_t>(in.count(), 0, kernel_count - 1));
  s.theta = in.vector();
  s.nugget = in.number();
  s.nugget_is_noise = in.count() != 0;
  s.beta = in.vector();
  s.sigma2 = in.number();
  s.log_likelihood = in.number();
  s.weights = in.vector();
  need_sound(is_finite(s.theta, feature_lengths(s.space).back() + 1) && (s.theta.array() > 0).all() &&
             is_finite(s.beta, Eigen::Index(s.trend.size())) && std::isfinite(s.nugget) && s.nugget >= 0 &&
             std::isfinite(s.sigma2) && is_finite(s.weights, weight_count));
}

}  // namespace

KrigingEnsemble::KrigingEnsemble(State state) : state_(std::move(state)) {
  if (state_.members.empty() || state_.modes.empty())
    throw Error("nothing to predict with", "kriging", "give at least one member and one mode");
  likeliest_ = with_runs(state_.modes.front());
}

std::unique_ptr<const Kriging> KrigingEnsemble::with_runs(Kriging::State s) const {
  s.runs = scaled(s.space, s.theta, state_.features);
  s.terms = state_.terms;
  return std::make_unique<const Kriging>(std::move(s));
}

const KrigingEnsemble::Members& KrigingEnsemble::members() const {
  return members_.get([this] {
    Members out;
    for (const Kriging::State& s : state_.members) out.push_back(with_runs(s));
    return out;
  });
}

Prediction KrigingEnsemble::answer(Points points, Want want) const {
  Want of_mean = want;
  of_mean.variance = false;
  Prediction out = likeliest_->answer(points, of_mean);
  if (!want.variance) return out;
  out.model_variance = out.noise_variance = Eigen::MatrixXd::Zero(out.mean.rows(), 1);
  const Members& others = members();
  for (std::size_t m = 0; m < others.size(); ++m) {
    const Prediction p = others[m]->answer(points, {.variance = true});
    const double share = state_.shares[Eigen::Index(m)];
    out.model_variance += share * (p.model_variance + (p.mean - out.mean).cwiseAbs2());
    out.noise_variance += share * p.noise_variance;
  }
  return out;
}

Eigen::MatrixXd KrigingEnsemble::joint_covariance(Points points, Eigen::Index output) const {
  const Eigen::VectorXd mean = likeliest_->answer(points, {}).mean;
  Eigen::MatrixXd out = Eigen::MatrixXd::Zero(points.rows(), points.rows());
  const Members& others = members();
  for (std::size_t m = 0; m < others.size(); ++m) {
    const Eigen::VectorXd apart = others[m]->answer(points, {}).mean - mean;
    out += state_.shares[Eigen::Index(m)] *
           (others[m]->joint_covariance(points, output) + apart * apart.transpose());
  }
  return out;
}

Archive KrigingEnsemble::save() const {
  ArchiveWriter out;
  const Kriging::State& first = state_.members.front();
  save_space(out, first.space);
  out.text("trend", describe(first.space, first.trend));
  out.number("centre", first.centre);
  out.matrix("features", state_.features);
  out.matrix("terms", state_.terms);
  out.matrix("shares", state_.shares);
  out.count("members", std::int64_t(state_.members.size()));
  for (const Kriging::State& s : state_.members) save_own(out, s);
  out.count("modes", std::int64_t(state_.modes.size()));
  for (const Kriging::State& s : state_.modes) save_own(out, s);
  return out.take("kriging-ensemble", 1);
}

std::unique_ptr<const Surrogate> KrigingEnsemble::load(const Archive& archive) {
  ArchiveReader in(archive.bytes);
  State s;
  Kriging::State common;
  common.space = load_space(in);
  common.trend = parse_terms(common.space, in.text());
  common.centre = in.number();
  s.features = in.matrix();
  s.terms = in.matrix();
  s.shares = in.vector();
  const Eigen::Index n = s.features.rows();
  need_sound(are_runs(s.features, common.space) && is_finite(s.terms, n, Eigen::Index(common.trend.size())) &&
             std::isfinite(common.centre));
  for (std::int64_t left = in.count(); left > 0; --left) load_own(in, s.members.emplace_back(common), n);
  for (std::int64_t left = in.count(); left > 0; --left) {
    const bool predicts = s.modes.empty();
    load_own(in, s.modes.emplace_back(common), predicts ? n : 0);
  }
  need_sound(!s.members.empty() && !s.modes.empty() && is_finite(s.shares, Eigen::Index(s.members.size())));
  return std::make_unique<KrigingEnsemble>(std::move(s));
}

const Process* likeliest_process(const Surrogate& surrogate) {
  if (const auto* kriging = dynamic_cast<const Kriging*>(&surrogate)) return &kriging->state();
  if (const auto* near = dynamic_cast<const NearestKriging*>(&surrogate)) return &near->state();
  if (const auto* layered = dynamic_cast<const Layered*>(&surrogate))
    return likeliest_process(layered->base());
  if (const auto* averaged = dynamic_cast<const KrigingEnsemble*>(&surrogate))
    return &averaged->state().modes.front();
  return nullptr;
}

}  // namespace renth
