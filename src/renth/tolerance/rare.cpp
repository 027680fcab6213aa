#include <algorithm>
#include <cmath>
#include <renth/numeric/distributions.hpp>
#include <renth/tolerance/tolerance.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// Draws as normal numbers, with the worst of their margins over typical sizes.
struct Chains {
  Eigen::MatrixXd normals;
  Eigen::VectorXd worst;
};

class Simulation {
 public:
  Simulation(const ScatterDraw& draw, const Specification& specification, const Eigen::VectorXd& at,
             Eigen::RowVectorXd scale)
      : draw_(draw), specification_(specification), at_(at), scale_(std::move(scale)) {}

  /// The share with a margin below 0.
  double failures(Seed seed, std::uint64_t number) const {
    constexpr Index size = 2000, seeds = size / 10;
    constexpr int levels = 9;
    Stream stream(seed, "rare failures", number);
    Chains all{Eigen::MatrixXd(size, draw_.dimensions() + specification_.noise()), {}};
    for (Index i = 0; i < all.normals.size(); ++i) all.normals.data()[i] = stream.normal();
    all.worst = worst(all.normals);
    double share = 1, spread = 0.8;
    for (int level = 0; level < levels; ++level) {
      std::vector<Index> order(std::size_t(size), 0);
      for (Index i = 0; i < size; ++i) order[std::size_t(i)] = i;
      std::sort(order.begin(), order.end(), [&](Index a, Index b) { return all.worst[a] < all.worst[b]; });
      const double bar = all.worst[order[std::size_t(seeds)]];
      if (bar <= 0) return share * double((all.worst.array() < 0).count()) / double(size);
      share *= double(seeds) / double(size);
      order.resize(std::size_t(seeds));
      all = next(Chains{all.normals(order, Eigen::all), all.worst(order)}, bar, size, spread, stream);
    }
    return share * double((all.worst.array() < 0).count()) / double(size);
  }

 private:
  Eigen::VectorXd worst(const Eigen::MatrixXd& normals) const {
    const Eigen::MatrixXd u = normals.leftCols(draw_.dimensions()).unaryExpr([](double z) {
      return std::clamp(normal_cdf(z), 1e-300, 1 - 1e-16);
    });
    const Eigen::MatrixXd margins =
        specification_.at(draw_.around(at_.transpose(), u), normals.rightCols(specification_.noise()))
            .margins;
    Eigen::VectorXd out(margins.rows());
    for (Index i = 0; i < out.size(); ++i) {
      out[i] = (margins.row(i).array() / scale_.array()).minCoeff();
      if (!margins.row(i).allFinite()) out[i] = -1;
    }
    return out;
  }

  /// From the failing tenth as many as before below the bar; the step is made such that four in ten go.
  Chains next(Chains chains, double bar, Index size, double& spread, Stream& stream) const {
    Chains out{Eigen::MatrixXd(size, chains.normals.cols()), Eigen::VectorXd(size)};
    const Index n = chains.worst.size();
    for (Index filled = 0; filled < size; filled += n) {
      const double stay = std::sqrt(std::max(0.0, 1 - spread * spread));
      Eigen::MatrixXd tries = chains.normals;
      for (Index i = 0; i < tries.size(); ++i)
        tries.data()[i] = stay * tries.data()[i] + spread * stream.normal();
      const Eigen::VectorXd w = worst(tries);
      Index taken = 0;
      for (Index i = 0; i < n; ++i)
        if (w[i] < bar) {
          chains.normals.row(i) = tries.row(i);
          chains.worst[i] = w[i];
          ++taken;
        }
      out.normals.middleRows(filled, n) = chains.normals;
      out.worst.segment(filled, n) = chains.worst;
      spread = std::clamp(spread * std::exp(double(taken) / double(n) - 0.44), 0.05, 1.0);
    }
    return out;
  }

  const ScatterDraw& draw_;
  const Specification& specification_;
  Eigen::VectorXd at_;
  Eigen::RowVectorXd scale_;
};

}  // namespace

Estimate rare_failures(const ScatterDraw& draw, const Specification& specification, const Eigen::VectorXd& at,
                       double level, Seed seed) {
  const Simulation simulation(draw, specification, at, margin_scales(specification, at, 1024, seed));
  constexpr int runs = 8;
  Eigen::VectorXd shares(runs);
  for (int r = 0; r < runs; ++r) shares[r] = simulation.failures(seed, std::uint64_t(r));
  const double mean = shares.mean();
  if (!(shares.minCoeff() > 0)) {  // beyond what the levels reach
    const double most = std::max(shares.maxCoeff(), 1e-9);
    return {mean, 0, most};
  }
  const Eigen::ArrayXd logs = shares.array().log();
  const double sd = std::sqrt((logs - logs.mean()).square().sum() / (runs - 1));
  const double half = student_t_width(level, runs - 1) * sd / std::sqrt(double(runs));
  return {mean, mean * std::exp(-half), std::min(1.0, mean * std::exp(half))};
}

}  // namespace renth
