#include <algorithm>
#include <cmath>
#include <renth/numeric/weighted_sums.hpp>

namespace renth {
namespace {

/// A distance below this share of what it is the difference of is taken from differences.
constexpr double near_share = 1.0 / 64;
const double root2 = std::sqrt(2.0);

/// The share of pairs of runs that are so near, from at most 200 of them.
double share_of_near_pairs(const std::vector<double>& x, std::size_t features, std::size_t n,
                           const std::vector<double>& squares, double longest) {
  const std::size_t step = (n + 199) / 200;
  std::size_t pairs = 0, near = 0;
  for (std::size_t i = 0; i < n; i += step)
    for (std::size_t j = 0; j < i; j += step) {
      double squared = 0;
      for (std::size_t k = 0; k < features; ++k) {
        const double d = x[k * n + i] - x[k * n + j];
        squared += d * d;
      }
      ++pairs;
      near += !(squared > near_share * (squares[i] + longest));
    }
  return pairs == 0 ? 1 : static_cast<double>(near) / static_cast<double>(pairs);
}

}  // namespace

WeightedSums::WeightedSums(Kernel kernel, const double* runs, std::size_t features, std::size_t n,
                           const double* weights)
    : kernel_(kernel),
      features_(features),
      tiles_((n + kernels::tile - 1) / kernels::tile),
      centre_(features) {
  std::vector<double> x(runs, runs + n * features), squares(n);
  for (std::size_t k = 0; k < features; ++k) {
    for (std::size_t i = 0; i < n; ++i) centre_[k] += x[k * n + i] / static_cast<double>(n);
    for (std::size_t i = 0; i < n; ++i) {
      x[k * n + i] -= centre_[k];
      squares[i] += x[k * n + i] * x[k * n + i];
    }
  }
  for (const double s : squares) longest_ = std::max(longest_, s);
  products_ = kernel != Kernel::product52 && features >= 5 &&
              share_of_near_pairs(x, features, n, squares, longest_) < 1.0 / 256;
  const double scale = products_ ? root2 : 1;
  rows_.resize(tiles_ * (2 + features));
  for (std::size_t i = 0; i < tiles_ * kernels::tile; ++i) {
    Row* const row = rows_.data() + i / kernels::tile * (2 + features);
    const std::size_t at = i % kernels::tile,
                      from = std::min(i, n - 1);  // the last one again, without weight
    row[0].of[at] = i < n ? weights[i] : 0;
    row[1].of[at] = squares[from];
    for (std::size_t k = 0; k < features; ++k) row[2 + k].of[at] = scale * x[k * n + from];
  }
}

void WeightedSums::operator()(const double* points, std::size_t count, double* out) const {
  constexpr std::size_t at_once = 32;
  std::vector<double> p(at_once * features_);
  double squares[at_once], near[at_once], sums[at_once];
  for (std::size_t first = 0; first < count; first += at_once) {
    const std::size_t here = std::min(at_once, count - first), padded = (here + 3) / 4 * 4;
    for (std::size_t i = 0; i < padded; ++i) {
      const double* const from = points + (first + std::min(i, here - 1)) * features_;
      squares[i] = 0;
      for (std::size_t k = 0; k < features_; ++k) {
        const double d = from[k] - centre_[k];
        squares[i] += d * d;
        p[i * features_ + k] = products_ ? root2 * d : d;
      }
      near[i] = squares[i] < 1e200 ? 1e-300 + near_share * (squares[i] + longest_) : HUGE_VAL;
    }
    kernels::weighted_sums(kernel_, rows_.data()->of, tiles_, features_, p.data(),
                           products_ ? squares : nullptr, near, padded, sums);
    std::copy_n(sums, here, out + first);
  }
}

}  // namespace renth
