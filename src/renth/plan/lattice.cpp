#include <algorithm>
#include <numeric>
#include <renth/plan/lattice.hpp>
#include <vector>

namespace renth {
namespace {

using Index = Eigen::Index;

struct Lattice {
  int modulus = 0, g = 0, h = 0;
  std::int64_t squared = 0;  // smallest squared distance, before ranks are taken
};

std::int64_t shortest(int n, int m, int g, int h, std::int64_t worse_than) {
  std::int64_t least = std::int64_t(n) * n * 3;
  for (std::int64_t i = 1; i < n && i * i < least; ++i) {
    const std::int64_t u = g * i % m, v = h * i % m, a = std::min(u, m - u), b = std::min(v, m - v);
    least = std::min(least, i * i + a * a + b * b);
    if (least <= worse_than) return least;
  }
  return least;
}

Eigen::MatrixXi ranks_of(const Lattice& l, int n, int k, int shift) {
  Eigen::MatrixXi out(n, k);
  for (int j = 0; j < k; ++j) {
    const std::int64_t step = j == 0 ? 1 : j == 1 ? l.g : l.h;
    std::vector<std::pair<std::int64_t, int>> order;
    for (int i = 0; i < n; ++i) order.emplace_back(j == 0 ? i : (i + shift) * step % l.modulus, i);
    std::sort(order.begin(), order.end());
    for (int r = 0; r < n; ++r) out(order[std::size_t(r)].second, j) = r;
  }
  return out;
}

int smallest_squared(const Eigen::MatrixXi& ranks) {
  int least = 1 << 30;
  for (Index i = 0; i < ranks.rows(); ++i)
    for (Index k = 0; k < i; ++k) least = std::min(least, (ranks.row(i) - ranks.row(k)).squaredNorm());
  return least;
}

}  // namespace

Eigen::MatrixXi lattice_ranks(Index count, Index k) {
  const int n = int(count);
  if (!((k == 2 && n <= 2000) || (k == 3 && n <= 100)) || n < 4) return {};
  std::vector<Lattice> all;
  for (int m = n; m <= n + 5; ++m) {
    std::int64_t best = 0;
    for (int g = 1; g < m; ++g) {
      if (std::gcd(g, m) != 1) continue;
      for (int h = k == 3 ? g + 1 : 0; h < (k == 3 ? m : 1); ++h) {
        if (k == 3 && std::gcd(h, m) != 1) continue;
        const std::int64_t squared = shortest(n, m, g, h, best * 9 / 10);
        if (squared <= best * 9 / 10) continue;
        best = std::max(best, squared);
        all.push_back({m, g, h, squared});
      }
    }
  }
  std::stable_sort(all.begin(), all.end(),
                   [](const Lattice& a, const Lattice& b) { return a.squared > b.squared; });
  if (all.size() > 12) all.resize(12);
  Eigen::MatrixXi best;
  int least = -1;
  const int shifts = n <= 300 ? 12 : 1;
  for (const Lattice& l : all)
    for (int shift = 0; shift < shifts; ++shift) {
      const Eigen::MatrixXi ranks = ranks_of(l, n, int(k), shift * l.modulus / shifts);
      const int squared = smallest_squared(ranks);
      if (squared > least) {
        least = squared;
        best = ranks;
      }
    }
  return best;
}

}  // namespace renth
