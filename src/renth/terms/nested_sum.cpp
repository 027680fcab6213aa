#include <algorithm>
#include <map>
#include <renth/base/error.hpp>
#include <renth/terms/nested_sum.hpp>

namespace renth {
namespace {

/// Terms that begin with the same columns share a branch.
struct Branch {
  double value = 0;
  std::map<int, Branch> next;
};

void write(const Branch& branch, std::vector<kernels::NestedStep>& steps) {
  using Step = kernels::NestedStep;
  for (const auto& [column, child] : branch.next)
    if (child.next.empty()) steps.push_back({Step::add, column, child.value});
  for (const auto& [column, child] : branch.next) {
    if (child.next.empty()) continue;
    steps.push_back({Step::open, 0, child.value});
    write(child, steps);
    steps.push_back({Step::close, column, 0});
  }
}

}  // namespace

NestedSum::NestedSum(const Space& space, const Terms& terms, const Eigen::VectorXd& beta) {
  std::map<Factor, int> place;
  Branch root;
  for (std::size_t t = 0; t < terms.size(); ++t) {
    std::size_t order = 0;
    for (const Factor& f : terms[t].factors) order += std::size_t(std::max(f.power, 0));
    if (order >= kernels::nested_depth)
      throw Error("a term is of order " + std::to_string(order), name(space, terms[t]),
                  "leave terms beyond order " + std::to_string(kernels::nested_depth - 1) + " out");
    std::vector<int> product;
    for (const Factor& f : terms[t].factors) {
      const auto [found, is_new] = place.try_emplace({f.parameter, 1, f.choice}, int(columns_.size()));
      if (is_new) {
        const Parameter& p = space[f.parameter];
        Column column{f.parameter, p.low, p.high, 1 / (p.high - p.low), {}};
        if (p.is_choice()) column.contrast = contrasts(int(p.choices.size())).col(f.choice - 1);
        columns_.push_back(std::move(column));
      }
      product.insert(product.end(), std::size_t(f.power), found->second);
    }
    std::sort(product.begin(), product.end());
    Branch* at = &root;
    for (const int column : product) at = &at->next[column];
    at->value += beta[Eigen::Index(t)];
  }
  steps_.push_back({kernels::NestedStep::open, 0, root.value});
  write(root, steps_);
}

Eigen::VectorXd NestedSum::operator()(Points points) const {
  constexpr Eigen::Index at_once = 2 * kernels::nested_width;
  const auto count = Eigen::Index(columns_.size());
  Eigen::VectorXd out(points.rows());
  // On lines of the cache: each is read many times.
  struct alignas(64) Line {
    double of[8];
  };
  std::vector<Line> room(std::size_t(count * at_once) / 8 + 1);
  const auto coded = [&](Eigen::Index k) { return room.data()->of + k * at_once; };
  alignas(64) double values[at_once];
  for (Eigen::Index first = 0; first < points.rows(); first += at_once) {
    const Eigen::Index here = std::min(at_once, points.rows() - first);
    for (Eigen::Index k = 0; k < count; ++k) {
      const Column& column = columns_[std::size_t(k)];
      const double* const from = points.data() + column.parameter * points.outerStride() + first;
      if (column.contrast.size() == 0)
        kernels::code(from, std::size_t(here), column.low, column.high, column.per, coded(k));
      else
        for (Eigen::Index i = 0; i < here; ++i) coded(k)[i] = column.contrast[Eigen::Index(from[i])];
    }
    const Eigen::Index width = kernels::nested_width, padded = (here + width - 1) / width * width;
    kernels::nested_sum(steps_.data(), steps_.size(), coded(0), std::size_t(at_once), std::size_t(padded),
                        values);
    std::copy_n(values, here, out.data() + first);
  }
  return out;
}

}  // namespace renth
