#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/numeric/kernels.hpp>
#include <renth/search/box_search.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

int faces_of(const MarkedSample& sample, std::size_t k) {
  return int(sample.faces(Index(k)).size()) - 1;
}

double width_of(const MarkedSample& sample, const FaceBox& box, std::size_t k) {
  return sample.faces(Index(k))[std::size_t(box.high[k])] - sample.faces(Index(k))[std::size_t(box.low[k])];
}

/// A side moved by a number of faces, outwards if positive; false: it can't.
bool moved(const MarkedSample& sample, const BoxSearch& search, FaceBox& box, int side, int by) {
  const auto k = std::size_t(side / 2);
  const bool upper = side % 2 == 1;
  int& face = upper ? box.high[k] : box.low[k];
  const int to = upper ? std::min(face + by, faces_of(sample, k)) : std::max(face - by, 0);
  if (to == face) return false;
  face = to;
  if (box.low[k] >= box.high[k]) return false;
  return !search.holds || (box.low[k] <= search.holds->low[k] && box.high[k] >= search.holds->high[k]);
}

/// Steps of faces, growing.
const std::vector<int> step_sizes = {1, 2, 4, 8, 16, 32, 64};

/// Exchanges volume between sides until nothing helps.
class Exchange {
 public:
  Exchange(const MarkedSample& sample, const BoxSearch& search, Stream& stream)
      : sample_(sample), search_(search), stream_(stream) {}

  bool holds(const FaceBox& box) const {
    const auto c = sample_.count(box.low, box.high);
    return c.all >= search_.least && c.share() >= search_.target;
  }

  /// Takes sides in until the target is reached. \returns  whether it is.
  bool repair(FaceBox& box) const {
    for (;;) {
      const auto here = sample_.count(box.low, box.high);
      if (here.all < search_.least) return false;
      if (here.share() >= search_.target) return true;
      const double volume = volume_of(sample_, box);
      double best = 0;
      FaceBox next = box;
      for (int side = 0; side < 2 * int(box.low.size()); ++side)
        for (const int step : step_sizes) {
          FaceBox tried = box;
          if (!moved(sample_, search_, tried, side, -step)) break;
          const auto there = sample_.count(tried.low, tried.high);
          if (there.all < search_.least) break;
          const double gain = (std::min(there.share(), search_.target) - here.share()) /
                              std::log(volume / volume_of(sample_, tried));
          if (gain > best) best = gain, next = tried;
        }
      if (best <= 0) return false;
      box = next;
    }
  }

  void improve(FaceBox& box) const {
    const int sides = 2 * int(box.low.size());
    for (bool better = true; better;) {
      better = false;
      for (const int side : stream_.permutation(sides)) better = grown(box, side) || better;
      for (const int out : stream_.permutation(sides))
        for (const int in : stream_.permutation(sides))
          if (in != out && exchanged(box, out, in)) better = true;
    }
  }

 private:
  bool grown(FaceBox& box, int side) const {
    bool any = false;
    for (std::size_t s = step_sizes.size(); s-- > 0;)
      for (;;) {
        FaceBox tried = box;
        if (!moved(sample_, search_, tried, side, step_sizes[s]) || !holds(tried)) break;
        box = tried;
        any = true;
      }
    return any;
  }

  bool exchanged(FaceBox& box, int out, int in) const {
    const double volume = volume_of(sample_, box);
    for (const int step : step_sizes) {
      FaceBox wider = box;
      if (!moved(sample_, search_, wider, out, step)) return false;
      for (const int back : step_sizes) {
        FaceBox tried = wider;
        if (!moved(sample_, search_, tried, in, -back) || volume_of(sample_, tried) <= volume * (1 + 1e-9))
          break;
        if (!holds(tried)) continue;
        box = tried;
        return true;
      }
    }
    return false;
  }

  const MarkedSample& sample_;
  const BoxSearch& search_;
  Stream& stream_;
};

FaceBox whole(const MarkedSample& sample) {
  FaceBox out;
  for (Index k = 0; k < sample.dimensions(); ++k) {
    out.low.push_back(0);
    out.high.push_back(int(sample.faces(k).size()) - 1);
  }
  return out;
}

/// Every side somewhere else, by up to a third of the box.
FaceBox kicked(const MarkedSample& sample, const BoxSearch& search, FaceBox box, Stream& stream) {
  for (int side = 0; side < 2 * int(box.low.size()); ++side) {
    const auto k = std::size_t(side / 2);
    const int most = std::max(1, (box.high[k] - box.low[k]) / 3);
    const int by = int(stream.below(std::uint64_t(2 * most + 1))) - most;
    FaceBox tried = box;
    if (by != 0 && moved(sample, search, tried, side, by)) box = tried;
  }
  return box;
}

}  // namespace

MarkedSample::MarkedSample(const Eigen::MatrixXd& points, const std::vector<char>& in,
                           std::vector<std::vector<double>> faces)
    : faces_(std::move(faces)), words_(std::size_t(points.rows() + 63) / 64), in_(words_, 0) {
  const auto n = std::size_t(points.rows());
  if (faces_.empty() || faces_.size() > 64)
    throw Error("1 to 64 parameters can be boxed", "window", "hold some of them");
  for (std::size_t i = 0; i < n; ++i)
    if (in[i]) in_[i / 64] |= std::uint64_t(1) << (i % 64);
  for (std::size_t k = 0; k < faces_.size(); ++k) {
    below_.emplace_back(faces_[k].size() * words_, 0);
    std::vector<std::uint64_t>& below = below_.back();
    for (std::size_t i = 0; i < n; ++i) {
      const auto f =
          std::size_t(std::upper_bound(faces_[k].begin(), faces_[k].end(), points(Index(i), Index(k))) -
                      faces_[k].begin());
      if (f < faces_[k].size()) below[f * words_ + i / 64] |= std::uint64_t(1) << (i % 64);
    }
    for (std::size_t w = words_; w < below.size(); ++w) below[w] |= below[w - words_];
  }
}

MarkedSample::Count MarkedSample::count(const std::vector<int>& low, const std::vector<int>& high) const {
  constexpr std::size_t most = 64;
  const std::uint64_t *above[most], *beneath[most];
  for (std::size_t k = 0; k < faces_.size(); ++k) {
    above[k] = below_[k].data() + std::size_t(high[k]) * words_;
    beneath[k] = below_[k].data() + std::size_t(low[k]) * words_;
  }
  std::int64_t all = 0, in = 0;
  kernels::count_boxed(above, beneath, faces_.size(), in_.data(), words_, &all, &in);
  return {int(all), int(in)};
}

double volume_of(const MarkedSample& sample, const FaceBox& box) {
  double out = 1;
  for (std::size_t k = 0; k < box.low.size(); ++k) out *= width_of(sample, box, k);
  return out;
}

std::vector<Narrowing> narrowed(const MarkedSample& sample, const BoxSearch& search) {
  std::vector<Narrowing> out = {{whole(sample), -1, false, {}}};
  out.back().count = sample.count(out.back().box.low, out.back().box.high);
  const int sides = 2 * int(sample.dimensions());
  for (;;) {
    const Narrowing here = out.back();
    if (here.count.in == here.count.all) return out;
    const double volume = volume_of(sample, here.box);
    double best = 0;
    Narrowing next;
    for (int side = 0; side < sides; ++side) {
      const auto k = std::size_t(side / 2);
      const int width = here.box.high[k] - here.box.low[k];
      for (const double part : {0.03, 0.06, 0.12, 0.25, 0.5}) {
        Narrowing tried{here.box, int(k), side % 2 == 1, {}};
        if (!moved(sample, search, tried.box, side, -std::max(1, int(part * width)))) continue;
        tried.count = sample.count(tried.box.low, tried.box.high);
        if (tried.count.all < search.least) continue;
        const double gain =
            (tried.count.share() - here.count.share()) / std::log(volume / volume_of(sample, tried.box));
        if (gain > best) best = gain, next = tried;
      }
    }
    if (best <= 0) return out;
    out.push_back(next);
  }
}

std::optional<FaceBox> largest_box_within(const MarkedSample& sample, const BoxSearch& search,
                                          const std::vector<FaceBox>& from, Seed seed) {
  Stream stream(seed, "box search");
  const Exchange exchange(sample, search, stream);
  std::optional<FaceBox> best;
  double most = 0;
  const auto take = [&](FaceBox box) {
    if (!exchange.repair(box)) return;
    exchange.improve(box);
    if (const double volume = volume_of(sample, box); volume > most) most = volume, best = box;
  };
  for (const FaceBox& box : from) take(box);
  for (int k = 0; k < search.kicks; ++k) {
    if (k % 4 == 3 || !best) {
      // From somewhere else altogether.
      FaceBox box = whole(sample);
      for (std::size_t j = 0; j < box.low.size(); ++j)
        for (int side = int(2 * j); side < int(2 * j) + 2; ++side) {
          FaceBox tried = box;
          const int by = int(stream.below(std::uint64_t(1 + faces_of(sample, j) / 2)));
          if (by > 0 && moved(sample, search, tried, side, -by)) box = tried;
        }
      take(box);
    } else {
      take(kicked(sample, search, *best, stream));
    }
  }
  return best;
}

}  // namespace renth
