#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <renth/error.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/space/features.hpp>
#include <renth/space/region.hpp>

namespace renth {
namespace {

/// The n values of one column in ascending order: stratum middles, by the region's marginal.
Eigen::VectorXd column_values(const Space& space, Eigen::Index j, int n, const Eigen::MatrixXd& sample) {
  Eigen::VectorXd values(n);
  if (sample.rows() == 0) {
    for (int i = 0; i < n; ++i) values[i] = space.from_unit(j, (i + 0.5) / n, true);
    return values;
  }
  std::vector<double> sorted(sample.rows());
  Eigen::VectorXd::Map(sorted.data(), sample.rows()) = sample.col(j);
  std::sort(sorted.begin(), sorted.end());
  const auto size = static_cast<double>(sorted.size());
  for (int i = 0; i < n; ++i) values[i] = sorted[static_cast<std::size_t>((i + 0.5) / n * size)];
  return values;
}

/// A Latin hypercube under exchange: points, their features, and the sums that φ_p is made of.
class Exchange {
 public:
  Exchange(const Space& space, Eigen::MatrixXd points) : space_(space), points_(std::move(points)) {
    owner_ = feature_parameters(space);
    f_ = features(space, points_).transpose();
    allowed_.resize(points_.rows());
    for (Eigen::Index i = 0; i < points_.rows(); ++i) {
      allowed_[i] = allows(i);
      forbidden_ += !allowed_[i];
    }
  }

  const Eigen::MatrixXd& points() const { return points_; }
  int forbidden() const { return forbidden_; }
  bool allowed(Eigen::Index i) const { return allowed_[i]; }

  /// Σ over the pairs with rows a or b of d^−p; coincident points count as very near.
  double energy(Eigen::Index a, Eigen::Index b) const {
    double sum = 0;
    for (Eigen::Index i = 0; i < f_.cols(); ++i) {
      if (i != a) sum += repulsion(a, i);
      if (i != b && i != a) sum += repulsion(b, i);
    }
    return sum;
  }
  double min_squared_distance() const {
    double least = 1e300;
    for (Eigen::Index i = 0; i < f_.cols(); ++i)
      for (Eigen::Index k = 0; k < i; ++k) least = std::min(least, (f_.col(i) - f_.col(k)).squaredNorm());
    return least;
  }
  double total_energy() const {
    double sum = 0;
    for (Eigen::Index i = 0; i < f_.cols(); ++i)
      for (Eigen::Index k = 0; k < i; ++k) sum += repulsion(i, k);
    return sum;
  }

  void swap(Eigen::Index a, Eigen::Index b, Eigen::Index column) {
    std::swap(points_(a, column), points_(b, column));
    for (std::size_t k = 0; k < owner_.size(); ++k)
      if (owner_[k] == column) std::swap(f_(Eigen::Index(k), a), f_(Eigen::Index(k), b));
    for (const Eigen::Index i : {a, b}) {
      const bool now = allows(i);
      forbidden_ += static_cast<int>(allowed_[i]) - static_cast<int>(now);
      allowed_[i] = now;
    }
  }

 private:
  double repulsion(Eigen::Index a, Eigen::Index b) const {
    const double squared = std::max(1e-12, (f_.col(a) - f_.col(b)).squaredNorm());
    const double s4 = squared * squared * squared * squared;  // d^−15 = (d²)^−7.5
    return std::sqrt(squared) / (s4 * s4);
  }
  bool allows(Eigen::Index i) const {
    return space_.limits().empty() || space_.allows(points_.row(i).transpose());
  }

  const Space& space_;
  Eigen::MatrixXd points_, f_;
  std::vector<int> owner_;
  std::vector<char> allowed_;
  int forbidden_ = 0;
};

/// Exchanges values of forbidden rows with random others until all rows are allowed or it gives up.
void repair(Exchange& design, Stream& stream) {
  const auto n = static_cast<std::uint64_t>(design.points().rows()),
             d = static_cast<std::uint64_t>(design.points().cols());
  for (int step = 0; design.forbidden() > 0 && step < 200'000; ++step) {
    Eigen::Index a = Eigen::Index(stream.below(n));
    for (std::uint64_t k = 0; k < n && design.allowed(a); ++k) a = (a + 1) % Eigen::Index(n);
    const Eigen::Index b = Eigen::Index(stream.below(n)), column = Eigen::Index(stream.below(d));
    if (a == b) continue;
    const int before = design.forbidden();
    design.swap(a, b, column);
    if (design.forbidden() > before) design.swap(a, b, column);
  }
}

Eigen::MatrixXd anneal(Exchange& design, int effort, Stream& stream) {
  const auto n = static_cast<std::uint64_t>(design.points().rows()),
             d = static_cast<std::uint64_t>(design.points().cols());
  double log_energy = std::log(design.total_energy());
  Eigen::MatrixXd best = design.points();
  double best_energy = log_energy;
  const std::int64_t tries = 1000LL * effort;
  for (std::int64_t step = 0; step < tries; ++step) {
    const double temperature = 0.5 * std::pow(1e-3, static_cast<double>(step) / static_cast<double>(tries));
    const Eigen::Index a = Eigen::Index(stream.below(n)), b = Eigen::Index(stream.below(n));
    const Eigen::Index column = Eigen::Index(stream.below(d));
    const double threshold = stream.uniform();
    if (a == b || design.points()(a, column) == design.points()(b, column)) continue;
    const int forbidden = design.forbidden();
    const double before = design.energy(a, b);
    design.swap(a, b, column);
    const double total = std::exp(log_energy) - before + design.energy(a, b);
    const double now = std::log(std::max(total, 1e-300));
    if (design.forbidden() <= forbidden && std::log(threshold) * temperature <= log_energy - now) {
      log_energy = now;
      if (step % 4096 == 0) log_energy = std::log(design.total_energy());  // no drift
      if (log_energy < best_energy - 1e-12) {
        best_energy = log_energy;
        best = design.points();
      }
    } else {
      design.swap(a, b, column);
    }
  }
  return best;
}

}  // namespace

Plan latin_hypercube(const Space& space, const LatinHypercubeOptions& options, Seed seed) {
  const int n = options.runs > 0 ? options.runs : suggested_runs(space);
  if (n < 2)
    throw Error("a Latin hypercube needs at least two runs", "plan latin-hypercube", "use --runs 2 or more");
  const bool limited = !space.limits().empty();
  const Eigen::MatrixXd sample = limited ? sample_region(space, std::max(4000, 20 * n), Values::settable,
                                                         seed, "latin hypercube marginals")
                                         : Eigen::MatrixXd();
  Stream stream(seed, "latin hypercube");
  Eigen::MatrixXd points(n, space.size());
  for (Eigen::Index j = 0; j < space.size(); ++j) {
    const Eigen::VectorXd values = column_values(space, j, n, sample);
    const std::vector<int> order = stream.permutation(n);
    for (int i = 0; i < n; ++i) points(i, j) = values[order[i]];
  }
  Exchange design(space, std::move(points));
  if (limited) repair(design, stream);
  const bool maximin = options.criterion == LatinHypercubeOptions::Criterion::maximin && space.size() > 1;
  Eigen::MatrixXd made = maximin ? anneal(design, options.effort, stream) : design.points();

  std::vector<std::string> notes;
  if (design.forbidden() > 0) {
    const Eigen::MatrixXd instead =
        sample_region(space, n, Values::settable, seed, "latin hypercube replacements");
    int replaced = 0;
    for (Eigen::Index i = 0; i < n; ++i)
      if (!space.allows(made.row(i).transpose())) made.row(i) = instead.row(replaced++);
    notes.push_back(
        fmt::format("{} of {} rows could not be made to obey the limits by exchanging values and are random "
                    "points of the region instead",
                    replaced, n));
  }
  Plan plan = make_plan(std::move(made), "fill", "latin-hypercube", seed);
  plan.options = {{"runs", std::to_string(n)},
                  {"criterion", maximin ? "maximin" : "none"},
                  {"effort", std::to_string(options.effort)}};
  plan.next = n;
  plan.notes = std::move(notes);
  return plan;
}

}  // namespace renth
