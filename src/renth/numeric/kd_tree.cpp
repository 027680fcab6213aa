#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <renth/numeric/kd_tree.hpp>

namespace renth {

KdTree::KdTree(const Eigen::MatrixXd& points, Eigen::Index count, int leaf) : width_(points.cols()) {
  if (count < 0) count = points.rows();
  order_.resize(std::size_t(count));
  std::iota(order_.begin(), order_.end(), 0);
  points_.resize(std::size_t(count * width_));
  for (Eigen::Index i = 0; i < count; ++i)
    for (Eigen::Index k = 0; k < width_; ++k) points_[std::size_t(i * width_ + k)] = points(i, k);
  nodes_.push_back({0, int(count)});
  for (std::size_t i = 0; i < nodes_.size(); ++i) split(int(i), leaf);
  // Points in the order of the leaves: a search reads them one after another.
  std::vector<double> sorted(points_.size());
  for (std::size_t i = 0; i < order_.size(); ++i)
    std::copy_n(&points_[std::size_t(order_[i]) * std::size_t(width_)], width_,
                &sorted[i * std::size_t(width_)]);
  points_ = std::move(sorted);
  bound_boxes();
}

void KdTree::bound_boxes() {
  const auto w = std::size_t(width_);
  boxes_.resize(nodes_.size() * 2 * w);
  for (std::size_t i = nodes_.size(); i-- > 0;) {  // children come after their parent
    const Node& node = nodes_[i];
    double *low = &boxes_[i * 2 * w], *high = low + w;
    std::fill_n(low, w, std::numeric_limits<double>::infinity());
    std::fill_n(high, w, -std::numeric_limits<double>::infinity());
    const auto take = [&](const double* l, const double* h) {
      for (std::size_t k = 0; k < w; ++k) {
        low[k] = std::min(low[k], l[k]);
        high[k] = std::max(high[k], h[k]);
      }
    };
    if (node.left < 0)
      for (int j = node.begin; j < node.end; ++j)
        take(&points_[std::size_t(j) * w], &points_[std::size_t(j) * w]);
    else
      for (const int child : {node.left, node.left + 1})
        take(&boxes_[std::size_t(child) * 2 * w], &boxes_[std::size_t(child) * 2 * w + w]);
  }
}

void KdTree::split(int index, int leaf) {
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

double KdTree::nearest_squared(const double* point) const {
  std::vector<std::pair<double, int>> heap;
  if (!order_.empty()) search(0, point, 1, heap);
  return heap.empty() ? std::numeric_limits<double>::infinity() : heap.front().first;
}

double KdTree::least(int index, const double* direction) const {
  const double* low = &boxes_[std::size_t(index) * 2 * std::size_t(width_)];
  double sum = 0;
  for (Eigen::Index k = 0; k < width_; ++k)
    sum += direction[k] * (direction[k] < 0 ? low[width_ + k] : low[k]);
  return sum;
}

int KdTree::lowest(const double* direction) const {
  if (order_.empty()) return -1;
  std::pair<double, int> best{std::numeric_limits<double>::infinity(), -1};
  std::vector<std::pair<double, int>> open{{least(0, direction), 0}};  // nodes, the promising last
  while (!open.empty()) {
    const auto [bound, index] = open.back();
    open.pop_back();
    // Sums of a box and of its points are rounded differently.
    if (bound - 1e-12 * std::abs(bound) > best.first) continue;
    const Node& node = nodes_[std::size_t(index)];
    if (node.left >= 0) {
      std::pair<double, int> one{least(node.left, direction), node.left},
          other{least(node.left + 1, direction), node.left + 1};
      if (one.first < other.first) std::swap(one, other);
      open.push_back(one);
      open.push_back(other);
      continue;
    }
    for (int i = node.begin; i < node.end; ++i) {
      const double* p = &points_[std::size_t(i * width_)];
      double sum = 0;
      for (Eigen::Index k = 0; k < width_; ++k) sum += p[k] * direction[k];
      const std::pair<double, int> found{sum, order_[std::size_t(i)]};
      if (best.second < 0 || found < best) best = found;
    }
  }
  return best.second;
}

}  // namespace renth
