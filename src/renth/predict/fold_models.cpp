#include <algorithm>
#include <cmath>
#include <renth/predict/fold_models.hpp>
#include <utility>

namespace renth {

FoldModels::FoldModels(Models models, std::vector<int> fold, Eigen::MatrixXd error)
    : models_(std::move(models)) {
  std::vector<Eigen::Index> rows;
  for (std::size_t i = 0; i < fold.size(); ++i)
    if (fold[i] >= 0) rows.push_back(Eigen::Index(i)), fold_.push_back(fold[i]);
  error_ = fold.empty() ? std::move(error) : Eigen::MatrixXd(error(rows, Eigen::all));
  for (Eigen::Index q = 0; q < error_.cols(); ++q) {
    std::vector<std::vector<double>> by_fold(models_.size());
    for (std::size_t i = 0; i < fold_.size() && !models_.empty(); ++i)
      if (std::isfinite(error_(Eigen::Index(i), q)))
        by_fold[std::size_t(fold_[i])].push_back(error_(Eigen::Index(i), q));
    for (std::vector<double>& errors : by_fold) std::sort(errors.begin(), errors.end());
    sorted_.push_back(std::move(by_fold));
  }
}

namespace {

using Sorted = std::vector<std::vector<double>>;

struct Range {
  std::size_t begin, end;
};

/// The k-th smallest (from 0) of the union of centre[f] + errors[f], each ascending.
/// \param left, at  room to work in.
double kth_sum(const Sorted& errors, const std::vector<double>& centre, std::size_t k,
               std::vector<Range>& left, std::vector<Range>& at) {
  left.clear();  // of each fold, where the wanted one may still be
  for (const auto& e : errors) left.push_back({0, e.size()});
  at.resize(left.size());
  for (;;) {
    // The middle of the longest range parts all of them.
    std::size_t longest = 0;
    for (std::size_t f = 1; f < left.size(); ++f)
      if (left[f].end - left[f].begin > left[longest].end - left[longest].begin) longest = f;
    const std::size_t middle = left[longest].begin + (left[longest].end - left[longest].begin) / 2;
    const double pivot = centre[longest] + errors[longest][middle];
    std::size_t below = 0, up_to = 0;
    for (std::size_t f = 0; f < left.size(); ++f) {
      const auto sum = [c = centre[f]](double e) { return c + e; };
      const auto first = errors[f].begin();
      const auto lower =
          std::partition_point(first + std::ptrdiff_t(left[f].begin), first + std::ptrdiff_t(left[f].end),
                               [&](double e) { return sum(e) < pivot; });
      const auto upper = std::partition_point(lower, first + std::ptrdiff_t(left[f].end),
                                              [&](double e) { return sum(e) <= pivot; });
      at[f] = {std::size_t(lower - first), std::size_t(upper - first)};
      below += at[f].begin;
      up_to += at[f].end;
    }
    if (below <= k && k < up_to) return pivot;
    for (std::size_t f = 0; f < left.size(); ++f) {
      if (k < below)
        left[f].end = at[f].begin;
      else
        left[f].begin = at[f].end;
    }
  }
}

}  // namespace

FoldModels::Bounds FoldModels::calibrated(Points points, Eigen::Index output, double level) const {
  Bounds out;
  if (output >= Eigen::Index(sorted_.size())) return out;
  const Sorted& errors = sorted_[std::size_t(output)];
  std::size_t n = 0;
  for (const auto& e : errors) n += e.size();
  const auto upper = static_cast<std::int64_t>(std::ceil(level * double(n + 1))) - 1;
  if (upper >= std::int64_t(n) || upper < 0) return out;

  std::vector<Eigen::VectorXd> by_fold;
  for (const auto& model : models_) by_fold.emplace_back(model->predict(points).mean.col(output));
  out.low.resize(points.rows());
  out.high.resize(points.rows());
  std::vector<double> above(models_.size()), below(models_.size());
  std::vector<Range> left, at;
  for (Eigen::Index p = 0; p < points.rows(); ++p) {
    for (std::size_t f = 0; f < models_.size(); ++f) {
      above[f] = by_fold[f][p];
      below[f] = -above[f];
    }
    // The lower bound is the mirror image of the upper one.
    out.high[p] = kth_sum(errors, above, std::size_t(upper), left, at);
    out.low[p] = -kth_sum(errors, below, std::size_t(upper), left, at);
  }
  return out;
}

}  // namespace renth
