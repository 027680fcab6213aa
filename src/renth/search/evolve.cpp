#include <algorithm>
#include <cmath>
#include <renth/search/landscape.hpp>

namespace renth {
namespace {

/// Parameters of mutation and crossing, which learn from those that succeed (Zhang and Sanderson, equations 8
/// to 12).
class Adaptation {
 public:
  struct Draw {
    double scale, crossing;
  };
  Draw draw(Stream& stream) const {
    double scale = 0;
    while (!(scale > 0)) scale = scale_ + 0.1 * std::tan(M_PI * (stream.uniform() - 0.5));
    return {std::min(scale, 1.0), std::clamp(crossing_ + 0.1 * stream.normal(), 0.0, 1.0)};
  }
  void learn(const std::vector<Draw>& successful) {
    if (successful.empty()) return;
    constexpr double rate = 0.1;
    double sum = 0, squares = 0, crossing = 0;
    for (const Draw& d : successful) {
      sum += d.scale;
      squares += d.scale * d.scale;
      crossing += d.crossing;
    }
    scale_ += rate * (squares / sum - scale_);
    crossing_ += rate * (crossing / double(successful.size()) - crossing_);
  }

 private:
  double scale_ = 0.5, crossing_ = 0.5;
};

/// One trial: towards one of the best and by a difference of two others; a choice is that of one of them.
Eigen::VectorXd trial_of(const Landscape& landscape, const std::vector<Climber>& all, std::size_t i,
                         std::size_t best_of, const Adaptation::Draw& by, Stream& stream) {
  const Space& space = landscape.space();
  const Climber& good = all[stream.below(best_of)];
  const std::size_t a = stream.below(all.size()), b = stream.below(all.size());
  const auto forced = Eigen::Index(stream.below(std::uint64_t(space.size())));
  Eigen::VectorXd out = all[i].point;
  for (Eigen::Index j = 0; j < space.size(); ++j) {
    const double cross = stream.uniform(), pick = stream.uniform();
    if (landscape.is_held(j) || (j != forced && cross > by.crossing)) continue;
    const Parameter& p = space[j];
    if (p.is_choice()) {
      const Eigen::VectorXd& from = pick < 0.4 ? good.point : pick < 0.65 ? all[a].point : all[b].point;
      out[j] = pick < 0.9 ? from[j] : double(stream.below(p.choices.size()));
      continue;
    }
    const double x = all[i].point[j];
    double v = x + by.scale * (good.point[j] - x) + by.scale * (all[a].point[j] - all[b].point[j]);
    if (v < p.low) v = 0.5 * (x + p.low);
    if (v > p.high) v = 0.5 * (x + p.high);
    out[j] = p.is_discrete() && !(p.is_between() && !landscape.options().settable) ? p.snap(v) : v;
  }
  return out;
}

}  // namespace

std::vector<Climber> evolve(const Landscape& landscape, std::vector<Climber> all, Seed seed) {
  const std::size_t size = all.size();
  if (size < 4) return all;
  std::sort(all.begin(), all.end(), better);
  const std::size_t best_of = std::max<std::size_t>(2, size / 20);
  Stream stream(seed, "evolution");
  Adaptation adaptation;
  constexpr int patience = 50, most_rounds = 800;
  Standing last = all.front().standing;
  int stale = 0;
  for (int round = 0; round < most_rounds && stale < patience; ++round) {
    Eigen::MatrixXd trials(Eigen::Index(size), landscape.space().size());
    std::vector<Adaptation::Draw> drawn;
    for (std::size_t i = 0; i < size; ++i) {
      drawn.push_back(adaptation.draw(stream));
      trials.row(Eigen::Index(i)) = trial_of(landscape, all, i, best_of, drawn.back(), stream);
    }
    const std::vector<Standing> found = landscape.at(trials);
    std::vector<Adaptation::Draw> successful;
    for (std::size_t i = 0; i < size; ++i) {
      if (all[i].standing.better_than(found[i])) continue;
      if (found[i].better_than(all[i].standing)) successful.push_back(drawn[i]);
      all[i] = {trials.row(Eigen::Index(i)).transpose(), found[i]};
    }
    adaptation.learn(successful);
    std::stable_sort(all.begin(), all.end(), better);
    // Progress is a gain that is more than a thousandth of what divides the population.
    const Standing& now = all.front().standing;
    const double spread = std::abs(now.value - all.back().standing.value);
    const bool gained = now.violation < last.violation ||
                        now.value > last.value + 1e-3 * (std::isfinite(spread) ? spread : 0);
    stale = gained ? 0 : stale + 1;
    if (gained) last = now;
    if (spread <= 1e-9 * std::abs(now.value) && now.violation == all.back().standing.violation) break;
  }
  return all;
}

}  // namespace renth
