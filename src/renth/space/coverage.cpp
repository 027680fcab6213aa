#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <renth/base/error.hpp>
#include <renth/numeric/lazily.hpp>
#include <renth/space/features.hpp>
#include <renth/space/region.hpp>
#include <utility>

namespace renth {
namespace {

/// Different rows of a matrix, in the order of their values.
Eigen::MatrixXd distinct_rows(const Eigen::MatrixXd& all) {
  std::vector<Eigen::Index> order(std::size_t(all.rows()));
  std::iota(order.begin(), order.end(), 0);
  const auto compare = [&](Eigen::Index a, Eigen::Index b) {
    for (Eigen::Index k = 0; k < all.cols(); ++k)
      if (all(a, k) != all(b, k)) return all(a, k) < all(b, k) ? -1 : 1;
    return 0;
  };
  std::sort(order.begin(), order.end(), [&](auto a, auto b) { return compare(a, b) < 0; });
  order.erase(std::unique(order.begin(), order.end(), [&](auto a, auto b) { return compare(a, b) == 0; }),
              order.end());
  return all(order, Eigen::all);
}

/// The largest distance of a point to its nearest other one; all differ.
double largest_gap(const Eigen::MatrixXd& points) {
  if (points.rows() < 2) return 0;
  const KdTree tree(points);
  std::vector<int> two;
  double reach = 0;
  for (Eigen::Index i = 0; i < points.rows(); ++i) {
    const Eigen::VectorXd p = points.row(i);
    tree.nearest(p.data(), 2, two);
    reach = std::max(reach, (points.row(two[two[0] == int(i) ? 1 : 0]) - points.row(i)).squaredNorm());
  }
  return std::sqrt(reach);
}

}  // namespace

/// The runs to be searched: all one by one for a few points, split for many. Both find the same.
struct Coverage::Trees {
  Lazily<KdTree> whole, split;
};

namespace {
Coverage::Parts parts_of(const Space& space, Points runs) {
  Coverage::Parts out;
  if (runs.rows() == 0) return out;
  out.least = runs.colwise().minCoeff();
  out.most = runs.colwise().maxCoeff();
  out.runs = double(runs.rows());
  out.features = distinct_rows(features(space, runs));
  out.reach = largest_gap(out.features);
  return out;
}
}  // namespace

Coverage::Coverage(const Space& space, Points runs) : Coverage(space, parts_of(space, runs)) {}

Coverage::Coverage(const Space& space, Parts parts)
    : space_(space), parts_(std::move(parts)), trees_(std::make_shared<Trees>()) {
  if (!(parts_.runs > 0)) return;
  const auto width = Eigen::Index(feature_parameters(space_).size());
  if (parts_.features.rows() == 0 || parts_.features.cols() != width ||
      parts_.least.size() != space_.size() || parts_.most.size() != space_.size() ||
      !parts_.features.allFinite() || !(parts_.reach >= 0))
    throw Error("what the runs cover is not of these parameters", "coverage",
                "work it out again from the runs");
  highest_ = parts_.features.colwise().maxCoeff();
}

Archive Coverage::save() const {
  ArchiveWriter out;
  out.matrix("features", parts_.features);
  out.matrix("least", parts_.least);
  out.matrix("most", parts_.most);
  out.number("runs", parts_.runs);
  out.number("reach", parts_.reach);
  return out.take("coverage", 1);
}

Coverage Coverage::load(const Space& space, const Archive& archive) {
  ArchiveReader in(archive.bytes);
  Parts parts;
  parts.features = in.matrix();
  parts.least = in.vector();
  parts.most = in.vector();
  parts.runs = in.number();
  parts.reach = in.number();
  return {space, std::move(parts)};
}

namespace {
Eigen::VectorXd features_of(const Space& space, const Eigen::VectorXd& point) {
  return features(space, point.transpose()).row(0);
}
}  // namespace

double Coverage::distance(const Eigen::VectorXd& point) const {
  if (parts_.runs == 0) return std::numeric_limits<double>::infinity();
  const Eigen::MatrixXd& all = parts_.features;
  const KdTree& tree = trees_->whole.get([&] { return KdTree(all, -1, int(all.rows())); });
  return std::sqrt(tree.nearest_squared(features_of(space_, point).data()));
}

bool Coverage::inside(const Eigen::VectorXd& point) const {
  return inside_each(point.transpose())[0] != 0;
}

std::vector<char> Coverage::inside_each(Points points) const {
  constexpr Eigen::Index few = 16;  // for which splitting would take longer than looking at all
  std::vector<char> out(std::size_t(points.rows()), 0);
  if (parts_.runs == 0) return out;
  const Eigen::MatrixXd& all = parts_.features;
  const KdTree& tree = points.rows() <= few
                           ? trees_->whole.get([&] { return KdTree(all, -1, int(all.rows())); })
                           : trees_->split.get([&] { return KdTree(all); });
  const Eigen::MatrixXd at = features(space_, points).transpose();
  for (Eigen::Index i = 0; i < points.rows(); ++i)
    out[std::size_t(i)] = inside(points.row(i).transpose(), at.col(i), tree);
  return out;
}

bool Coverage::inside(const Eigen::VectorXd& point, const Eigen::VectorXd& f, const KdTree& tree) const {
  if (!point.allFinite()) return false;
  Eigen::Index column = 0;  // of the features
  for (Eigen::Index j = 0; j < space_.size(); ++j) {
    if (space_[j].is_choice()) {
      const auto count = Eigen::Index(space_[j].choices.size());
      const auto choice = Eigen::Index(point[j]);
      if (choice < 0 || choice >= count || highest_[column + choice] == 0) return false;  // no run took it
      column += count;
      continue;
    }
    ++column;
    const double spare = (parts_.most[j] - parts_.least[j]) / parts_.runs * (1 + 1e-9);
    if (point[j] < parts_.least[j] - spare || point[j] > parts_.most[j] + spare) return false;
  }
  return std::sqrt(tree.nearest_squared(f.data())) <= parts_.reach * (1 + 1e-9) || in_hull(f, tree);
}

bool Coverage::in_hull(const Eigen::VectorXd& point, const KdTree& tree) const {
  // The point of the hull nearest to `point`, by pairwise Frank–Wolfe steps (S. Lacoste-Julien and
  // M. Jaggi, NIPS 2015, algorithm 2). Stops as soon as a plane separates the two.
  const Eigen::MatrixXd& runs = parts_.features;
  struct Carried {
    int run;
    double weight;
  };
  std::vector<int> nearest;
  tree.nearest(point.data(), 1, nearest);
  std::vector<Carried> carried{{nearest[0], 1}};
  Eigen::VectorXd gap = runs.row(nearest[0]).transpose() - point;
  for (int step = 0; step < 2000; ++step) {
    if (gap.squaredNorm() < 1e-12) return true;
    const auto along = [&](int run) { return runs.row(run).dot(gap.transpose()); };
    const int toward = tree.lowest(gap.data());
    const auto away =
        std::max_element(carried.begin(), carried.end(),
                         [&](const Carried& a, const Carried& b) { return along(a.run) < along(b.run); });
    // All runs lie beyond the plane through the nearest point found: separated.
    if (along(toward) - point.dot(gap) > 1e-9 * gap.norm()) return false;
    if (along(away->run) - along(toward) < 1e-14) break;
    const Eigen::VectorXd move = (runs.row(toward) - runs.row(away->run)).transpose();
    const double size = std::min(away->weight, -gap.dot(move) / move.squaredNorm());
    away->weight -= size;
    if (away->weight < 1e-15) carried.erase(away);
    const auto known =
        std::find_if(carried.begin(), carried.end(), [&](const Carried& c) { return c.run == toward; });
    if (known == carried.end())
      carried.push_back({toward, size});
    else
      known->weight += size;
    gap += size * move;
  }
  return gap.squaredNorm() < 1e-8;
}

}  // namespace renth
