#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <memory>
#include <renth/numeric/parallel.hpp>
#include <renth/plan/centred_sums.hpp>
#include <renth/plan/even_exchange.hpp>
#include <renth/plan/lattice.hpp>
#include <renth/plan/projected_pairs.hpp>
#include <type_traits>
#include <vector>

namespace renth {
namespace {

using Index = Eigen::Index;
using Row = std::vector<float>;

/// In how many parameters the nearest pair of a good table is hardly nearer than the others.
bool many_parameters(Index count) {
  return count >= 7;
}

/// d^−p by the leading bits of d²: one look-up instead of a power. Eight bits of mantissa tell all integers
/// up to 512 apart.
class Repulsion {
 public:
  Repulsion(double typical, double exponent) {
    for (std::size_t i = 0; i < table_.size(); ++i) {
      const auto squared = std::bit_cast<float>(std::uint32_t((first + i) << shift));
      const double value = std::min(1e12, std::pow(squared / typical, -0.5 * exponent));
      table_[i] = value > 1e-30 ? float(value) : 0;  // denormal numbers are slow
    }
  }
  float operator()(float squared) const {
    return table_[(std::bit_cast<std::uint32_t>(std::max(squared, least)) >> shift) - first];
  }

 private:
  static constexpr int shift = 15;
  static constexpr float least = 0.01F;
  static constexpr std::uint32_t first = std::bit_cast<std::uint32_t>(least) >> shift;
  std::array<float, 40 * 256> table_{};  // up to 2³³
};

/// Pairwise distances on the grid of ranks, and the sum that is to be small.
class Distances {
 public:
  Distances(const Space& space, const Eigen::MatrixXd& points, double exponent) : n_(points.rows()) {
    const double strata = double(n_);
    for (Index j = 0; j < space.size(); ++j) {
      columns_.push_back(Row(std::size_t(n_)));
      is_choice_.push_back(space[j].is_choice());
      numbers_ += !space[j].is_choice();
      for (Index i = 0; i < n_; ++i)
        columns_.back()[std::size_t(i)] =
            space[j].is_choice()
                ? float(points(i, j))
                : float((points(i, j) - space[j].low) / (space[j].high - space[j].low) * strata);
    }
    for (Index j = 0; j < space.size(); ++j)
      nearer_.push_back(is_choice_[std::size_t(j)] && numbers_ > 0
                            ? float(std::pow(double(space[j].choices.size()), -2.0 / numbers_))
                            : 1.0F);
    // About what the smallest comes to, by how spheres are packed; in many parameters, where repulsion is
    // steep and must be told well, it is half the mean.
    const double packed = numbers_ > 0 ? std::pow(1 / strata, 2.0 / numbers_) : 0,
                 half_mean = numbers_ / 12.0;
    const double typical =
        numbers_ > 0 ? (exponent > 100 ? std::max(packed, half_mean) : packed) * strata * strata : 1;
    repulsion_ = std::make_unique<Repulsion>(std::max(1.0, typical), exponent);
    squared_.assign(std::size_t(n_ * n_), 0);
    for (auto* row : {&new_a_, &new_b_}) row->assign(std::size_t(n_), 0);
    for (Index a = 0; a < n_; ++a)
      for (Index b = 0; b < n_; ++b) squared_[std::size_t(a * n_ + b)] = whole(a, b);
    if (choices_share_) {
      shares_.resize(squared_.size());
      for (Index a = 0; a < n_; ++a)
        for (Index b = 0; b < n_; ++b) shares_[std::size_t(a * n_ + b)] = share(a, b);
    }
    sum_all();
  }

  double value() const { return std::log(total_); }
  /// Of two rows the one that is nearer to others.
  Index worse(Index a, Index b) const { return of_row_[std::size_t(a)] >= of_row_[std::size_t(b)] ? a : b; }
  double scale() const { return 1; }
  float smallest() const {
    float least = far;
    for (Index a = 0; a < n_; ++a)
      for (Index b = 0; b < a; ++b) least = std::min(least, squared_[std::size_t(a * n_ + b)]);
    return least;
  }

  /// The value after exchanging column c of rows a and b, or more than `limit` as soon as that is sure.
  double after(Index a, Index b, Index c, double limit) {
    const auto& x = columns_[std::size_t(c)];
    const float va = x[std::size_t(a)], vb = x[std::size_t(b)];
    const float *da = &squared_[std::size_t(a * n_)], *db = &squared_[std::size_t(b * n_)];
    float *na = new_a_.data(), *nb = new_b_.data();
    const Repulsion& repulsion = *repulsion_;
    const double rest = total_ - of_row_[std::size_t(a)] - of_row_[std::size_t(b)] +
                        2 * double(repulsion(da[b])),
                 most = std::exp(limit) - rest;
    if (is_choice_[std::size_t(c)] && numbers_ > 0) {
      const float factor = nearer_[std::size_t(c)];
      for (Index i = 0; i < n_; ++i) {
        const float v = x[std::size_t(i)];
        const float to_b = v == vb ? factor : v == va ? 1 / factor : 1.0F;
        na[i] = da[i] * to_b;
        nb[i] = db[i] / to_b;
      }
    } else if (is_choice_[std::size_t(c)]) {
      for (Index i = 0; i < n_; ++i) {
        const float v = x[std::size_t(i)];
        na[i] = da[i] + float(v != vb) - float(v != va);
        nb[i] = db[i] + float(v != va) - float(v != vb);
      }
    } else if (choices_share_) {
      const float *sa = &shares_[std::size_t(a * n_)], *sb = &shares_[std::size_t(b * n_)];
      for (Index i = 0; i < n_; ++i) {
        const float v = x[std::size_t(i)], change = (v - vb) * (v - vb) - (v - va) * (v - va);
        na[i] = da[i] + change * sa[i];
        nb[i] = db[i] - change * sb[i];
      }
    } else {
      for (Index i = 0; i < n_; ++i) {
        const float v = x[std::size_t(i)], change = (v - vb) * (v - vb) - (v - va) * (v - va);
        na[i] = da[i] + change;
        nb[i] = db[i] - change;
      }
    }
    na[a] = nb[b] = na[b] = nb[a] = far;
    double sum = 0;
    for (Index i = 0; i < n_ && sum <= most; i += 16)
      for (Index k = i, end = std::min(i + 16, n_); k < end; ++k)
        sum += double(repulsion(na[k]) + repulsion(nb[k]));
    after_ = std::max(rest + sum, 1e-30);
    return sum <= most ? std::log(after_) : INFINITY;
  }

  void apply(Index a, Index b, Index c) {
    const float between = squared_[std::size_t(a * n_ + b)];
    std::swap(columns_[std::size_t(c)][std::size_t(a)], columns_[std::size_t(c)][std::size_t(b)]);
    const Repulsion& repulsion = *repulsion_;
    double sum_a = double(repulsion(between)), sum_b = sum_a;
    for (Index i = 0; i < n_; ++i) {
      if (i == a || i == b) continue;
      const auto ai = std::size_t(a * n_ + i), bi = std::size_t(b * n_ + i), at = std::size_t(i);
      const double ea = double(repulsion(new_a_[at])), eb = double(repulsion(new_b_[at]));
      of_row_[at] += ea + eb - double(repulsion(squared_[ai])) - double(repulsion(squared_[bi]));
      sum_a += ea, sum_b += eb;
      squared_[ai] = squared_[std::size_t(i * n_ + a)] = new_a_[at];
      squared_[bi] = squared_[std::size_t(i * n_ + b)] = new_b_[at];
    }
    of_row_[std::size_t(a)] = sum_a;
    of_row_[std::size_t(b)] = sum_b;
    if (choices_share_ && is_choice_[std::size_t(c)])
      for (const Index row : {a, b})
        for (Index i = 0; i < n_; ++i)
          shares_[std::size_t(row * n_ + i)] = shares_[std::size_t(i * n_ + row)] = share(row, i);
    total_ = after_;
    // No drift, and no digits lost where the sum has fallen far.
    if (++applied_ % 512 == 0 || total_ < 0.1 * summed_) sum_all();
  }

 private:
  /// What the distance of two rows is multiplied by, for the choices that they share.
  float share(Index a, Index b) const {
    float product = 1;
    for (std::size_t j = 0; j < columns_.size(); ++j)
      if (is_choice_[j] && columns_[j][std::size_t(a)] == columns_[j][std::size_t(b)]) product *= nearer_[j];
    return product;
  }
  float whole(Index a, Index b) {
    float sum = 0;
    for (std::size_t j = 0; j < columns_.size(); ++j) {
      const float difference = columns_[j][std::size_t(a)] - columns_[j][std::size_t(b)];
      if (!is_choice_[j])
        sum += difference * difference;
      else if (numbers_ == 0)
        sum += difference != 0 ? 1.0F : 0.0F;
      else
        choices_share_ = true;
    }
    return numbers_ > 0 ? sum * share(a, b) : sum;
  }
  void sum_all() {
    of_row_.assign(std::size_t(n_), 0);
    for (Index a = 0; a < n_; ++a)
      for (Index b = 0; b < n_; ++b)
        if (a != b) of_row_[std::size_t(a)] += double((*repulsion_)(squared_[std::size_t(a * n_ + b)]));
    total_ = 0;
    for (const double e : of_row_) total_ += 0.5 * e;
    summed_ = total_ = std::max(total_, 1e-30);
  }

  static constexpr float far = 1e9F;
  Index n_;
  int numbers_ = 0, applied_ = 0;
  bool choices_share_ = false;
  std::vector<Row> columns_;
  std::vector<bool> is_choice_;
  std::vector<float> nearer_;
  std::unique_ptr<Repulsion> repulsion_;
  std::vector<float> squared_, shares_;
  Row new_a_, new_b_;
  std::vector<double> of_row_;
  double total_ = 0, after_ = 0, summed_ = 0;
};

/// Which rows the limits allow, and what an exchange does to that.
class Allowed {
 public:
  Allowed(const Space& space, const Eigen::MatrixXd& points) : space_(space) {
    if (space.limits().empty()) return;
    for (Index i = 0; i < points.rows(); ++i) ok_.push_back(space.allows(points.row(i).transpose()));
    forbidden_ = int(std::count(ok_.begin(), ok_.end(), char(0)));
  }
  int forbidden() const { return forbidden_; }
  bool row(Index i) const { return ok_.empty() || ok_[std::size_t(i)]; }
  /// How many rows would be forbidden after the exchange.
  int after(const Eigen::MatrixXd& points, Index a, Index b, Index c) {
    if (ok_.empty()) return 0;
    Eigen::VectorXd x = points.row(a), y = points.row(b);
    std::swap(x[c], y[c]);
    now_a_ = space_.allows(x);
    now_b_ = space_.allows(y);
    return forbidden_ + ok_[std::size_t(a)] - now_a_ + ok_[std::size_t(b)] - now_b_;
  }
  void apply(Index a, Index b, int forbidden) {
    if (ok_.empty()) return;
    ok_[std::size_t(a)] = now_a_;
    ok_[std::size_t(b)] = now_b_;
    forbidden_ = forbidden;
  }

 private:
  const Space& space_;
  std::vector<char> ok_;
  int forbidden_ = 0;
  char now_a_ = 1, now_b_ = 1;
};

void repair(const Space& space, Eigen::MatrixXd& points, Index fixed, Stream& stream) {
  Allowed allowed(space, points);
  const auto free = std::uint64_t(points.rows() - fixed), d = std::uint64_t(points.cols());
  for (int step = 0; allowed.forbidden() > 0 && step < 200'000; ++step) {
    Index a = fixed + Index(stream.below(free));
    for (std::uint64_t k = 0; k < free && allowed.row(a); ++k) a = a + 1 < points.rows() ? a + 1 : fixed;
    const Index b = fixed + Index(stream.below(free)), c = Index(stream.below(d));
    if (a == b) continue;
    const int after = allowed.after(points, a, b, c);
    if (after > allowed.forbidden()) continue;
    allowed.apply(a, b, after);
    std::swap(points(a, c), points(b, c));
  }
}

/// How a start goes about it.
struct Way {
  double heat = 0.7;     ///< at the beginning
  double exponent = 40;  ///< of the repulsion
  int drawn = 1;         ///< rows of which the one nearest to others is moved
};

/// Of plain tables of numbers, where the best distances are known, what comes nearest to these; where
/// choices, limits or rows that stay make them unknown, gentler ones.
Way way_of(std::int64_t start, bool plain, bool lattice, Index parameters) {
  const auto third = std::size_t(start % 3);
  const bool from_lattice = lattice && start == 0;
  if (!plain) return {0.7, std::array{40.0, 20.0, 80.0}[third], 1};
  if (many_parameters(parameters)) return {0.1, std::array{120.0, 160.0, 200.0}[third], 4};
  return {from_lattice ? 0.1 : 0.4, std::array{60.0, 30.0, 90.0}[third], 4};
}

/// \returns the best value; `points` become the best rows.
template <class Objective>
double anneal(const Space& space, Eigen::MatrixXd& points, Index fixed, std::int64_t moves, const Way& way,
              Stream& stream) {
  Objective objective(space, points, way.exponent);
  Allowed allowed(space, points);
  const auto free = std::uint64_t(points.rows() - fixed), d = std::uint64_t(points.cols());
  Eigen::MatrixXd best = points;
  double now = objective.value(), best_value = now;
  const double hot = way.heat * objective.scale(), cold = 3e-3 * objective.scale();
  const double cooling = std::pow(cold / hot, 1.0 / std::max<double>(1, double(moves) / 256));
  double temperature = hot;
  for (std::int64_t step = 0; step < moves; ++step) {
    if (step % 256 == 255) temperature *= cooling;
    const std::uint64_t dice = stream();
    Index a = fixed + Index((dice & 0xffffffU) * free >> 24);
    const Index b = fixed + Index((dice >> 24 & 0xffffffU) * free >> 24), c = Index((dice >> 48) * d >> 16);
    if (!std::is_same_v<Objective, CentredSums>)
      for (int k = 1; k < way.drawn; ++k)
        a = objective.worse(a, fixed + Index((stream() & 0xffffffU) * free >> 24));
    if (a == b || points(a, c) == points(b, c)) continue;
    const double limit = now - temperature * std::log(stream.uniform());
    const double after = objective.after(a, b, c, limit);
    if (!(after <= limit)) continue;
    const int forbidden = allowed.after(points, a, b, c);
    if (forbidden > allowed.forbidden()) continue;
    objective.apply(a, b, c);
    allowed.apply(a, b, forbidden);
    std::swap(points(a, c), points(b, c));
    now = objective.value();
    if (now < best_value - 1e-12) {
      best_value = now;
      best = points;
    }
  }
  points = best;
  return best_value;
}

bool numbers_alone(const Space& space) {
  return std::none_of(space.parameters().begin(), space.parameters().end(),
                      [](const Parameter& p) { return p.is_choice(); });
}

/// Rearranges the values of every column of numbers after a good lattice. \returns false where there is none.
bool start_from_lattice(Eigen::MatrixXd& points) {
  const Eigen::MatrixXi ranks = lattice_ranks(points.rows(), points.cols());
  if (ranks.size() == 0) return false;
  for (Index j = 0; j < points.cols(); ++j) {
    Eigen::VectorXd values = points.col(j);
    std::sort(values.begin(), values.end());
    for (Index i = 0; i < points.rows(); ++i) points(i, j) = values[ranks(i, j)];
  }
  return true;
}

/// As Distances measures it.
double smallest_distance(const Space& space, const Eigen::MatrixXd& points) {
  return Distances(space, points, 2).smallest();
}

}  // namespace

Evening evening_of(LatinHypercubeOptions::Criterion criterion) {
  using C = LatinHypercubeOptions::Criterion;
  return criterion == C::discrepancy  ? Evening::discrepancy
         : criterion == C::projection ? Evening::projection
                                      : Evening::distance;
}

int exchange_to_even(const Space& space, Eigen::MatrixXd& points, Index fixed, Evening evening,
                     std::int64_t moves, Seed seed, std::string_view purpose) {
  Stream first(seed, purpose);
  if (points.rows() - fixed < 2) return Allowed(space, points).forbidden();
  repair(space, points, fixed, first);
  if (moves > 0 && (points.cols() > 1 || fixed > 0)) {
    const bool distance = evening == Evening::distance;
    const bool plain = distance && fixed == 0 && space.limits().empty() && numbers_alone(space);
    Eigen::MatrixXd from_lattice = points;
    const bool lattice = plain && start_from_lattice(from_lattice);
    // Small tables of numbers have many traps and cost little; of large ones any is about as even as another.
    const bool projection = evening == Evening::projection;
    const int starts = !plain ? 4 : points.rows() <= 30 ? 24 : points.rows() > 500 ? 2 : 4;
    std::vector<Eigen::MatrixXd> made(std::size_t(starts) + 1, points);
    std::vector<double> value(made.size(), INFINITY);
    if (lattice) made.front() = made.back() = from_lattice;
    parallel_for(starts, [&](std::int64_t k) {
      Stream stream(seed, purpose, std::uint64_t(k) + 1);
      Eigen::MatrixXd& mine = made[std::size_t(k)];
      const Way way = projection ? Way{0.3, 0, 2} : way_of(k, plain, lattice, points.cols());
      value[std::size_t(k)] = distance     ? anneal<Distances>(space, mine, fixed, moves, way, stream)
                              : projection ? anneal<ProjectedPairs>(space, mine, fixed, moves, way, stream)
                                           : anneal<CentredSums>(space, mine, fixed, moves, way, stream);
    });
    std::size_t best = 0;
    double least = -1;
    for (std::size_t k = 0; k < made.size(); ++k) {
      const double nearest = distance ? smallest_distance(space, made[k]) : 0;
      if (nearest > least + 1e-12 ||
          (nearest > least - 1e-12 && (!distance || k % 3 == best % 3) && value[k] < value[best])) {
        best = k;
        least = nearest;
      }
    }
    points = made[best];
  }
  return Allowed(space, points).forbidden();
}

}  // namespace renth
