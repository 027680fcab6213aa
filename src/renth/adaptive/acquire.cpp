#include <cmath>
#include <limits>
#include <numbers>
#include <renth/adaptive/acquire.hpp>
#include <renth/numeric/parallel.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// One after another the candidate with the largest score that has not been run; stops where all have been.
template <class Score, class Chosen>
std::vector<Index> greedily(Beliefs& beliefs, int count, const Score& score, const Chosen& chosen) {
  std::vector<Index> out;
  while (int(out.size()) < count) {
    Eigen::VectorXd scores(beliefs.size());
    parallel_for(beliefs.size(), [&](std::int64_t i) { scores[i] = beliefs.was_run(i) ? -1 : score(i); });
    Index best = 0;
    if (!(scores.maxCoeff(&best) >= 0)) break;
    out.push_back(best);
    chosen(best, scores[best]);
    beliefs.run(best);
  }
  return out;
}

}  // namespace

Beliefs::Beliefs(std::vector<Eigen::MatrixXd> covariances) : covariances_(std::move(covariances)) {
  for (const Eigen::MatrixXd& c : covariances_) before_.push_back(c.diagonal());
  size_ = covariances_.empty() ? 0 : covariances_.front().rows();
  run_.assign(std::size_t(size_), 0);
}

double Beliefs::left(std::size_t output, Index candidate) const {
  const double before = before_[output][candidate];
  return before > 0 ? variance(output, candidate) / before : 0;
}

void Beliefs::run(Index candidate) {
  run_[std::size_t(candidate)] = 1;
  for (std::size_t k = 0; k < covariances_.size(); ++k) {
    Eigen::MatrixXd& c = covariances_[k];
    const double own = c(candidate, candidate);
    if (!(own > 1e-12 * before_[k].maxCoeff())) continue;
    const Eigen::VectorXd column = c.col(candidate);
    c.noalias() -= column * (column / own).transpose();
  }
}

std::vector<Index> choose_uncertain(Beliefs beliefs, int count) {
  return greedily(
      beliefs, count,
      [&](Index i) {
        double sum = 0;
        for (std::size_t k = 0; k < beliefs.outputs(); ++k) sum += beliefs.variance(k, i);
        return sum;
      },
      [](Index, double) {});
}

std::vector<Index> choose_near_level(Beliefs beliefs, const Eigen::VectorXd& mean, double level, int count) {
  return greedily(
      beliefs, count,
      [&](Index i) {
        const double variance = beliefs.variance(0, i);
        if (!(variance > 0)) return 0.0;
        const double off = (mean[i] - level) * (mean[i] - level) / variance;
        return variance * std::exp(-0.5 * off) / std::sqrt(2 * std::numbers::pi * variance);
      },
      [](Index, double) {});
}

std::vector<Index> choose_improving(Beliefs beliefs, ImprovementProblem p, int count, Seed seed,
                                    double* gain) {
  constexpr int draws = 128;
  const Index r = p.mean.cols();
  Eigen::MatrixXd z(draws, r);
  Stream stream(seed, "improvement draws");
  // Antithetic pairs: a mean is drawn exactly.
  for (int d = 0; d < draws; d += 2)
    for (Index k = 0; k < r; ++k) {
      z(d, k) = stream.normal();
      z(d + 1, k) = -z(d, k);
    }
  bool first = true;
  return greedily(
      beliefs, count,
      [&](Index i) {
        Eigen::VectorXd sd(r), y(r);
        for (Index k = 0; k < r; ++k) {
          double left = 0;
          const int belief = p.belief[std::size_t(k)];
          if (belief >= 0)
            left = beliefs.left(std::size_t(belief), i);
          else
            for (std::size_t b = 0; b < beliefs.outputs(); ++b)
              left += beliefs.left(b, i) / double(beliefs.outputs());
          sd[k] = p.sd(i, k) * std::sqrt(left);
        }
        double sum = 0;
        for (int d = 0; d < draws; ++d) {
          y = p.mean.row(i).transpose() + sd.cwiseProduct(z.row(d).transpose());
          sum += std::max(0.0, p.value(y) - p.best);
        }
        return sum / draws;
      },
      [&](Index i, double score) {
        if (first && gain) *gain = score;
        first = false;
        p.best = std::max(p.best, p.value(p.mean.row(i).transpose()));
      });
}

}  // namespace renth
