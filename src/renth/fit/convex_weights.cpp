#include <limits>
#include <renth/fit/convex_weights.hpp>
#include <renth/numeric/dense.hpp>
#include <vector>

namespace renth {

using Index = Eigen::Index;

Eigen::VectorXd convex_weights(const Eigen::MatrixXd& errors) {
  std::vector<Index> usable;
  for (Index k = 0; k < errors.cols(); ++k)
    if (errors.col(k).allFinite()) usable.push_back(k);
  Eigen::VectorXd best = Eigen::VectorXd::Zero(errors.cols());
  if (usable.empty()) return best;
  best[usable.front()] = 1;
  const Eigen::MatrixXd used = errors(Eigen::all, usable);
  const Eigen::MatrixXd gram = used.transpose() * used;
  double least = std::numeric_limits<double>::infinity();
  const std::size_t count = usable.size();
  // On each face of the simplex the minimum is at G⁻¹1, scaled; it counts if it lies on the face.
  for (std::uint32_t face = 1; face < (1U << count); ++face) {
    std::vector<Index> in;
    for (std::size_t k = 0; k < count; ++k)
      if (face >> k & 1) in.push_back(Index(k));
    Eigen::MatrixXd g = gram(in, in);
    g.diagonal().array() += 1e-12 * gram.trace();
    Eigen::VectorXd w = PositiveFactor(g).solve(Eigen::VectorXd::Ones(Index(in.size())));
    w /= w.sum();
    if (!(w.minCoeff() >= 0)) continue;
    const double value = w.dot(gram(in, in) * w);
    if (value < least) {
      least = value;
      best.setZero();
      for (std::size_t k = 0; k < in.size(); ++k) best[usable[std::size_t(in[k])]] = w[Index(k)];
    }
  }
  // What hardly counts is left out.
  for (double& w : best) w = w < 0.005 ? 0 : w;
  return best / best.sum();
}

}  // namespace renth
