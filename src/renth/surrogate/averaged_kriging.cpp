#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/surrogate/averaged_kriging.hpp>
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
void load_own(ArchiveReader& in, Kriging::State& s, Eigen::Index weights) {
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
             std::isfinite(s.sigma2) && is_finite(s.weights, weights));
}

}  // namespace

Blend AveragedKriging::blend_of(const State& state) {
  if (state.members.empty()) throw Error("nothing to average", "kriging", "give at least one member");
  Blend::Members members;
  for (Kriging::State s : state.members) {
    s.runs = state.features;
    const std::vector<int> owner = feature_lengths(s.space);
    for (Eigen::Index k = 0; k < s.runs.cols(); ++k) s.runs.col(k) /= s.theta[owner[std::size_t(k)]];
    s.terms = state.terms;
    members.push_back(std::make_shared<Kriging>(std::move(s)));
  }
  return Blend(std::move(members), state.shares);
}

AveragedKriging::AveragedKriging(State state) : state_(std::move(state)), blend_(blend_of(state_)) {}

Archive AveragedKriging::save() const {
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
  return out.take("averaged-kriging", 1);
}

std::unique_ptr<const Surrogate> AveragedKriging::load(const Archive& archive) {
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
  for (std::int64_t left = in.count(); left > 0; --left) load_own(in, s.modes.emplace_back(common), 0);
  need_sound(!s.members.empty() && !s.modes.empty() && is_finite(s.shares, Eigen::Index(s.members.size())));
  return std::make_unique<AveragedKriging>(std::move(s));
}

const Process* likeliest_process(const Surrogate& surrogate) {
  if (const auto* kriging = dynamic_cast<const Kriging*>(&surrogate)) return &kriging->state();
  if (const auto* near = dynamic_cast<const NearestKriging*>(&surrogate)) return &near->state();
  if (const auto* averaged = dynamic_cast<const AveragedKriging*>(&surrogate))
    return &averaged->state().modes.front();
  return nullptr;
}

}  // namespace renth
