#include <algorithm>
#include <cmath>
#include <functional>
#include <renth/numeric/sobol_sequence.hpp>
#include <renth/search/near_best.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// Numeric parameters that may vary, between 0 and 1; the rest as in the best.
class UnitBox {
 public:
  UnitBox(const Space& space, const Eigen::VectorXd& best, const NearBestOptions& options)
      : space_(space), best_(best) {
    for (Index j = 0; j < space.size(); ++j)
      if (!space[j].is_choice() && (options.hold.empty() || !options.hold[std::size_t(j)]))
        moving_.push_back(j);
    centre_.resize(size());
    for (Index k = 0; k < size(); ++k) centre_[k] = unit(k, best[moving_[std::size_t(k)]]);
  }
  Index size() const { return Index(moving_.size()); }
  const Eigen::VectorXd& centre() const { return centre_; }
  const Parameter& parameter(Index k) const { return space_[moving_[std::size_t(k)]]; }
  Index of(Index k) const { return moving_[std::size_t(k)]; }
  double unit(Index k, double natural) const {
    return (natural - parameter(k).low) / (parameter(k).high - parameter(k).low);
  }
  /// \param units  m × k. Values that can't be set are those nearest to them; levels have nothing between.
  Eigen::MatrixXd natural(const Eigen::MatrixXd& units) const {
    Eigen::MatrixXd out = best_.transpose().replicate(units.rows(), 1);
    for (Index k = 0; k < size(); ++k) {
      const Parameter& p = parameter(k);
      for (Index i = 0; i < units.rows(); ++i) {
        const double v = std::clamp(p.low + units(i, k) * (p.high - p.low), p.low, p.high);
        out(i, moving_[std::size_t(k)]) = p.is_between() ? v : p.snap(v);
      }
    }
    return out;
  }

 private:
  const Space& space_;
  const Eigen::VectorXd& best_;
  std::vector<Index> moving_;
  Eigen::VectorXd centre_;
};

struct Box {
  Eigen::VectorXd low, high;
  double volume() const { return (high - low).prod(); }
  bool holds(const Eigen::VectorXd& u) const {
    return (u.array() > low.array()).all() && (u.array() < high.array()).all();
  }
};

/// The box that is left when every point outside the region is cut off, each by the face that costs least,
/// or, now and then, another.
Box cut(const Eigen::VectorXd& centre, const std::vector<Eigen::VectorXd>& outside,
        const std::vector<double>& distance, double chance, Stream& stream) {
  const Index d = centre.size();
  Box box{Eigen::VectorXd::Zero(d), Eigen::VectorXd::Ones(d)};
  std::vector<std::pair<double, std::size_t>> order;
  for (std::size_t i = 0; i < outside.size(); ++i)
    order.push_back({distance[i] * (1 + chance * stream.uniform()), i});
  std::sort(order.begin(), order.end());
  for (const auto& [ignored, i] : order) {
    const Eigen::VectorXd& u = outside[i];
    // Faces of the whole span hold what lies on them.
    bool within = true;
    for (Index k = 0; k < d && within; ++k)
      within = (u[k] > box.low[k] || (box.low[k] == 0 && u[k] >= 0)) &&
               (u[k] < box.high[k] || (box.high[k] == 1 && u[k] <= 1));
    if (!within) continue;
    Index best = -1;
    double kept = -1;
    for (Index k = 0; k < d; ++k) {
      const double left = u[k] > centre[k] ? u[k] - box.low[k] : u[k] < centre[k] ? box.high[k] - u[k] : 0;
      const double share = left / (box.high[k] - box.low[k]) * (1 - chance * stream.uniform());
      if (left > 0 && share > kept) kept = share, best = k;
    }
    if (best < 0) continue;  // at the best itself
    (u[best] > centre[best] ? box.high : box.low)[best] = u[best];
  }
  return box;
}

/// Pushes each face out to the next point outside that the box meets there.
/// \param outside  points × k: a face looks at one column, and at how many others leave a point beside it.
void grow(const Eigen::MatrixXd& outside, Box& box, Stream& stream) {
  const Index d = box.low.size(), n = outside.rows();
  const auto misses = [&](double v, Index j) {
    const bool above = (v > box.low[j]) | ((box.low[j] == 0) & (v >= 0)),
               below = (v < box.high[j]) | ((box.high[j] == 1) & (v <= 1));
    return int(!(above & below));
  };
  Eigen::VectorXi missed = Eigen::VectorXi::Zero(n);  // in how many columns the box does not hold a point
  for (Index j = 0; j < d; ++j)
    for (Index i = 0; i < n; ++i) missed[i] += misses(outside(i, j), j);
  for (const int f : stream.permutation(int(2 * d))) {
    const Index k = f / 2;
    const bool up = f % 2 == 0;
    double end = up ? 1 : 0;
    for (Index i = 0; i < n; ++i) {
      if (missed[i] > 1) continue;
      const double v = outside(i, k);
      if (missed[i] - misses(v, k) > 0) continue;  // not beside
      if (up && v >= box.high[k]) end = std::min(end, v);
      if (!up && v <= box.low[k]) end = std::max(end, v);
    }
    double& face = (up ? box.high : box.low)[k];
    if (end == face) continue;
    for (Index i = 0; i < n; ++i) missed[i] -= misses(outside(i, k), k);
    face = end;
    for (Index i = 0; i < n; ++i) missed[i] += misses(outside(i, k), k);
  }
}

/// Where the lines from the centre to points outside leave the region: the last that holds.
std::vector<Eigen::VectorXd> crossings(const UnitBox& unit,
                                       const std::function<Eigen::VectorXd(Points)>& margin,
                                       const Eigen::MatrixXd& outside) {
  Eigen::VectorXd within = Eigen::VectorXd::Zero(outside.rows()),
                  beyond = Eigen::VectorXd::Ones(outside.rows());
  const auto along = [&](const Eigen::VectorXd& t) {
    Eigen::MatrixXd out(outside.rows(), outside.cols());
    for (Index i = 0; i < outside.rows(); ++i)
      out.row(i) = unit.centre().transpose() + t[i] * (outside.row(i) - unit.centre().transpose());
    return out;
  };
  for (int round = 0; round < 14; ++round) {
    const Eigen::VectorXd middle = 0.5 * (within + beyond);
    const Eigen::VectorXd m = margin(unit.natural(along(middle)));
    for (Index i = 0; i < m.size(); ++i) (m[i] >= 0 ? within : beyond)[i] = middle[i];
  }
  // A region that ends at once in some direction still has a side that costs least.
  constexpr double hair = 1e-4;
  const Eigen::MatrixXd at = along(within.cwiseMax(hair));
  std::vector<Eigen::VectorXd> out;
  for (Index i = 0; i < at.rows(); ++i) out.push_back(at.row(i).transpose());
  return out;
}

/// Points of a box that do not hold.
Eigen::MatrixXd violations(const UnitBox& unit, const std::function<Eigen::VectorXd(Points)>& margin,
                           const Box& box, Index count, Seed seed, std::uint64_t round) {
  const Index d = unit.size();
  Eigen::MatrixXd u = scrambled_sobol_points(count, d, seed, "box", round * std::uint64_t(count));
  // A part lies on faces and corners, where a region that bulges ends first.
  for (Index i = 0; i < u.rows(); ++i) {
    const Index fixed = i % 4 == 0 ? d : i % 4 == 1 ? 1 : 0;
    for (Index k = 0; k < fixed; ++k) {
      const Index at = fixed == 1 ? i / 4 % d : k;
      u(i, at) = u(i, at) < 0.5 ? 0 : 1;
    }
    u.row(i) = box.low.transpose().array() + u.row(i).array() * (box.high - box.low).transpose().array();
  }
  const Eigen::VectorXd m = margin(unit.natural(u));
  std::vector<Index> bad;
  for (Index i = 0; i < m.size(); ++i)
    if (!(m[i] >= 0)) bad.push_back(i);
  return u(bad, Eigen::all);
}

/// The largest of many boxes without a point outside.
Box best_box(const UnitBox& unit, const std::vector<Eigen::VectorXd>& outside, Stream& stream) {
  constexpr int tries = 60;
  std::vector<double> distance;
  Eigen::MatrixXd columns(Index(outside.size()), unit.size());
  for (const Eigen::VectorXd& u : outside) {
    columns.row(Index(distance.size())) = u.transpose();
    distance.push_back((u - unit.centre()).norm());
  }
  Box best;
  for (int t = 0; t < tries; ++t) {
    Box box = cut(unit.centre(), outside, distance, t == 0 ? 0 : 0.6 * t / tries, stream);
    grow(columns, box, stream);
    if (t == 0 || box.volume() > best.volume()) best = box;
  }
  return best;
}

}  // namespace

SettingsBox largest_box(const Space& space, const std::function<Eigen::VectorXd(Points)>& margin,
                        const Eigen::VectorXd& best, const NearBestOptions& options, Seed seed) {
  SettingsBox out{best, best, std::vector<std::vector<double>>(std::size_t(space.size()))};
  const UnitBox unit(space, best, options);
  const Index d = unit.size();
  if (d > 0) {
    Stream stream(seed, "largest box");
    std::vector<Eigen::VectorXd> outside;
    Box box{Eigen::VectorXd::Zero(d), Eigen::VectorXd::Ones(d)};
    constexpr int most_rounds = 30;
    constexpr Index count = 1024;
    for (int round = 0, clean = 0; round < most_rounds && clean < 2; ++round) {
      const Eigen::MatrixXd bad = violations(unit, margin, box, count, seed, std::uint64_t(round));
      if (bad.rows() == 0) {
        ++clean;
        continue;
      }
      clean = 0;
      const auto found = crossings(unit, margin, bad);
      outside.insert(outside.end(), found.begin(), found.end());
      box = best_box(unit, outside, stream);
    }
    // What is left outside by a hair: towards the best until nothing is found, whole spans last.
    constexpr std::uint64_t rounds = 10, whole = 6;
    for (std::uint64_t round = 0; round < rounds; ++round) {
      if (violations(unit, margin, box, count, seed, 100 + round).rows() == 0) break;
      const double part = 0.001 * double(1U << round);
      for (Index k = 0; k < d; ++k) {
        if (box.low[k] > 0 || round >= whole) box.low[k] += part * (unit.centre()[k] - box.low[k]);
        if (box.high[k] < 1 || round >= whole) box.high[k] += part * (unit.centre()[k] - box.high[k]);
      }
    }
    for (Index k = 0; k < d; ++k) {
      const Parameter& p = unit.parameter(k);
      out.low[unit.of(k)] = std::min(best[unit.of(k)], p.low + box.low[k] * (p.high - p.low));
      out.high[unit.of(k)] = std::max(best[unit.of(k)], p.low + box.high[k] * (p.high - p.low));
    }
  }
  for (Index j = 0; j < space.size(); ++j) {
    const Parameter& p = space[j];
    if (!p.is_discrete()) continue;
    // Only what can be set.
    for (int i = 0; i < p.settable_count(); ++i)
      if (p.settable(i) >= out.low[j] - 1e-12 * std::abs(out.low[j]) &&
          p.settable(i) <= out.high[j] + 1e-12 * std::abs(out.high[j]))
        out.values[std::size_t(j)].push_back(p.settable(i));
    if (out.values[std::size_t(j)].empty()) out.values[std::size_t(j)] = {best[j]};
    out.low[j] = out.values[std::size_t(j)].front();
    out.high[j] = out.values[std::size_t(j)].back();
  }
  return out;
}

}  // namespace renth
