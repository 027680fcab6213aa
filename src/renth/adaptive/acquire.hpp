// Where the next runs tell most: chosen one after another among candidates.
#pragma once
#include <Eigen/Core>
#include <functional>
#include <renth/numeric/random.hpp>
#include <vector>

namespace renth {

/// What surrogates know of m candidates: joint covariances, one m × m matrix an output. Running a candidate
/// leaves of each what follows from the covariance alone, whatever the run will give.
class Beliefs {
 public:
  explicit Beliefs(std::vector<Eigen::MatrixXd> covariances);
  Eigen::Index size() const { return size_; }
  std::size_t outputs() const { return covariances_.size(); }
  double variance(std::size_t output, Eigen::Index candidate) const {
    return std::max(0.0, covariances_[output](candidate, candidate));
  }
  /// The share of an output's variance that is left at a candidate.
  double left(std::size_t output, Eigen::Index candidate) const;
  void run(Eigen::Index candidate);
  bool was_run(Eigen::Index candidate) const { return run_[std::size_t(candidate)] != 0; }

 private:
  std::vector<Eigen::MatrixXd> covariances_;
  std::vector<Eigen::VectorXd> before_;
  std::vector<char> run_;
  Eigen::Index size_ = 0;
};

/// The candidates with the largest variance, summed over outputs, given those chosen before.
std::vector<Eigen::Index> choose_uncertain(Beliefs beliefs, int count);

/// Where the first output is likely to cross a level: the largest s² · e^(−(μ − level)²/2s²)/(√(2π) s), the
/// targeted mean square error of V. Picheny, D. Ginsbourger, O. Roustant, R. T. Haftka, N.-H. Kim, Journal of
/// Mechanical Design 132, 2010, at the point itself.
/// \param mean  m.
std::vector<Eigen::Index> choose_near_level(Beliefs beliefs, const Eigen::VectorXd& mean, double level,
                                            int count);

/// Expected improvement of a value of several outputs (J. Močkus, 1975; for one normal output it is the
/// formula of D. R. Jones, M. Schonlau, W. J. Welch, Journal of Global Optimization 13, 1998), over 128 draws
/// that are the same for all candidates. Several at a time as if each chosen run gave its mean (D.
/// Ginsbourger, R. Le Riche, L. Carraro, 2010, the kriging believer).
struct ImprovementProblem {
  Eigen::MatrixXd mean, sd;  ///< m × r, outputs that the value is made of
  /// For each of them the output of the beliefs that tells how its deviation shrinks; −1: their average.
  std::vector<int> belief;
  std::function<double(const Eigen::VectorXd&)> value;  ///< of r outputs; larger is better
  double best = 0;                                      ///< value reached so far
};
/// \param gain  receives the expected improvement of the first chosen.
std::vector<Eigen::Index> choose_improving(Beliefs beliefs, ImprovementProblem problem, int count, Seed seed,
                                           double* gain = nullptr);

}  // namespace renth
