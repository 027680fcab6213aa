#include <cmath>
#include <renth/space/features.hpp>

namespace renth {

std::vector<int> feature_parameters(const Space& space) {
  std::vector<int> owner;
  for (Eigen::Index j = 0; j < space.size(); ++j)
    owner.insert(owner.end(), space[j].is_choice() ? space[j].choices.size() : 1, static_cast<int>(j));
  return owner;
}

std::vector<int> feature_lengths(const Space& space) {
  std::vector<int> owner;
  int next = 0;
  for (Eigen::Index j = 0; j < space.size(); ++j) {
    const std::size_t columns = space[j].is_choice() ? space[j].choices.size() : 1;
    for (std::size_t c = 0; c < columns; ++c) owner.push_back(columns > 2 ? next++ : next);
    if (columns <= 2) ++next;
  }
  return owner;
}

Eigen::MatrixXd features(const Space& space, Points natural) {
  Eigen::MatrixXd out = Eigen::MatrixXd::Zero(natural.rows(), Eigen::Index(feature_parameters(space).size()));
  Eigen::Index at = 0;
  for (Eigen::Index j = 0; j < space.size(); ++j) {
    const Parameter& p = space[j];
    if (p.is_choice()) {
      for (Eigen::Index i = 0; i < natural.rows(); ++i)
        out(i, at + static_cast<Eigen::Index>(natural(i, j))) = std::sqrt(0.5);
      at += static_cast<Eigen::Index>(p.choices.size());
    } else {
      out.col(at++) = (natural.col(j).array() - p.low) / (p.high - p.low);
    }
  }
  return out;
}

}  // namespace renth
