#include <algorithm>
#include <numeric>
#include <renth/numeric/kd_tree.hpp>

namespace renth {
namespace {
constexpr int leaf = 24;
}

KdTree::KdTree(const Eigen::MatrixXd& points, Eigen::Index count) : width_(points.cols()) {
  if (count < 0) count = points.rows();
  order_.resize(std::size_t(count));
  std::iota(order_.begin(), order_.end(), 0);
  points_.resize(std::size_t(count * width_));
  for (Eigen::Index i = 0; i < count; ++i)
    for (Eigen::Index k = 0; k < width_; ++k) points_[std::size_t(i * width_ + k)] = points(i, k);
  nodes_.push_back({0, int(count)});
  for (std::size_t i = 0; i < nodes_.size(); ++i) split(int(i));
  // Points in the order of the leaves: a search reads them one after another.
  std::vector<double> sorted(points_.size());
  for (std::size_t i = 0; i < order_.size(); ++i)
    std::copy_n(&points_[std::size_t(order_[i]) * std::size_t(width_)], width_,
                &sorted[i * std::size_t(width_)]);
  points_ = std::move(sorted);
}

void KdTree::split(int index) {
  const Node node = nodes_[std::size_t(index)];
  if (node.end - node.begin <= leaf) return;
  const auto value = [&](int i, Eigen::Index k) { return points_[std::size_t(i * width_ + k)]; };
  int axis = 0;
  double widest = 0;
  for (Eigen::Index k = 0; k < width_; ++k) {
    double low = value(order_[std::size_t(node.begin)], k), high = low;
    for (int i = node.begin; i < node.end; ++i) {
      const double v = value(order_[std::size_t(i)], k);
      low = std::min(low, v);
      high = std::max(high, v);
    }
    if (high - low > widest) {
      widest = high - low;
      axis = int(k);
    }
  }
  if (widest == 0) return;  // all the same point
  const int middle = (node.begin + node.end) / 2;
  std::nth_element(order_.begin() + node.begin, order_.begin() + middle, order_.begin() + node.end,
                   [&](int a, int b) {
                     const double va = value(a, axis), vb = value(b, axis);
                     return va != vb ? va < vb : a < b;
                   });
  nodes_[std::size_t(index)].axis = axis;
  nodes_[std::size_t(index)].at = value(order_[std::size_t(middle)], axis);
  nodes_[std::size_t(index)].left = int(nodes_.size());
  nodes_.push_back({node.begin, middle});
  nodes_.push_back({middle, node.end});
}

void KdTree::search(int index, const double* point, std::size_t m,
                    std::vector<std::pair<double, int>>& heap) const {
  const Node& node = nodes_[std::size_t(index)];
  if (node.left < 0) {
    for (int i = node.begin; i < node.end; ++i) {
      const double* p = &points_[std::size_t(i * width_)];
      double squared = 0;
      for (Eigen::Index k = 0; k < width_; ++k) squared += (p[k] - point[k]) * (p[k] - point[k]);
      const std::pair<double, int> found{squared, order_[std::size_t(i)]};
      if (heap.size() < m) {
        heap.push_back(found);
        std::push_heap(heap.begin(), heap.end());
      } else if (found < heap.front()) {
        std::pop_heap(heap.begin(), heap.end());
        heap.back() = found;
        std::push_heap(heap.begin(), heap.end());
      }
    }
    return;
  }
  const double beyond = point[node.axis] - node.at;
  search(beyond < 0 ? node.left : node.left + 1, point, m, heap);
  if (heap.size() < m || beyond * beyond <= heap.front().first)
    search(beyond < 0 ? node.left + 1 : node.left, point, m, heap);
}

void KdTree::nearest(const double* point, int m, std::vector<int>& rows) const {
  std::vector<std::pair<double, int>> heap;
  heap.reserve(std::size_t(m) + 1);
  if (!order_.empty() && m > 0) search(0, point, std::size_t(m), heap);
  std::sort(heap.begin(), heap.end());
  rows.clear();
  for (const auto& [squared, row] : heap) rows.push_back(row);
}

}  // namespace renth
