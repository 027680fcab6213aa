#include <algorithm>
#include <limits>
#include <renth/fit/regression.hpp>
#include <renth/numeric/dense.hpp>
#include <renth/selection/best_subset.hpp>

namespace renth {
namespace {

using Eigen::Index;

class SubsetSearch {
 public:
  SubsetSearch(const std::vector<TermUnit>& units, std::vector<std::size_t> order, Index fixed)
      : units_(units), order_(std::move(order)), in_(units.size(), true) {
    Index columns = fixed;
    for (const TermUnit& u : units) columns += Index(u.columns.size());
    best_.assign(std::size_t(columns) + 1, {0, std::numeric_limits<double>::infinity(), {}});
  }

  /// A subset that is known; makes bounds tight from the start.
  void offer(const std::vector<bool>& in, Index columns, double sse) {
    SubsetOfSize& best = best_[std::size_t(columns)];
    if (!(sse < best.sse) || !obeys(in)) return;
    best = {columns, sse, in};
  }

  /// \param c  inverse of the cross-products of the columns that may go, unit by unit in order from `next`
  /// on. \param b  their coefficients.
  void explore(const Eigen::MatrixXd& c, const Eigen::VectorXd& b, double sse, Index columns,
               std::size_t next) {
    offer(in_, columns, sse);
    Index begin = 0;
    for (std::size_t u = next; u < order_.size(); ++u) {
      const auto m = Index(units_[order_[u]].columns.size()), rest = b.size() - begin - m;
      // Take the unit's columns out of those after it.
      const LuFactor block(c.block(begin, begin, m, m));
      const Eigen::VectorXd own = b.segment(begin, m), solved = block.solve(own);
      const double worse = sse + own.dot(solved);
      if (promising(worse, columns - m, columns - m - rest)) {
        const Eigen::MatrixXd cross = c.block(begin + m, begin, rest, m);
        const Eigen::MatrixXd part =
            c.block(begin + m, begin + m, rest, rest) - cross * block.solve(cross.transpose());
        in_[order_[u]] = false;
        explore(part, b.tail(rest) - cross * solved, worse, columns - m, u + 1);
        in_[order_[u]] = true;
      }
      begin += m;
    }
  }

  std::vector<SubsetOfSize> found() const {
    std::vector<SubsetOfSize> out;
    for (const SubsetOfSize& s : best_)
      if (!s.in.empty()) out.push_back(s);
    return out;
  }

 private:
  bool promising(double sse, Index most, Index fewest) const {
    for (Index k = fewest; k <= most; ++k)
      if (sse < best_[std::size_t(k)].sse) return true;
    return false;
  }
  bool obeys(const std::vector<bool>& in) const {
    for (std::size_t u = 0; u < units_.size(); ++u)
      if (in[u])
        for (const std::size_t parent : units_[u].parents)
          if (!in[parent]) return false;
    return true;
  }

  const std::vector<TermUnit>& units_;
  std::vector<std::size_t> order_;
  std::vector<bool> in_;
  std::vector<SubsetOfSize> best_;
};

}  // namespace

std::vector<SubsetOfSize> best_subsets(const Regression& design, const std::vector<TermUnit>& units) {
  SubsetModel full(design, units, false);
  const Index fixed = full.size();
  for (std::size_t u = 0; u < units.size(); ++u) full.add(u);
  // What matters most comes first: without it whole branches are hopeless.
  std::vector<std::size_t> order;
  for (std::size_t u = 0; u < units.size(); ++u)
    if (!units[u].forced) order.push_back(u);
  std::stable_sort(order.begin(), order.end(),
                   [&](std::size_t a, std::size_t b) { return full.change({a}) > full.change({b}); });
  SubsetSearch search(units, order, fixed);

  // Subsets known from the start: what harms least goes, one unit after another.
  SubsetModel walk = full;
  const auto tell = [&] {
    std::vector<bool> in(units.size());
    for (std::size_t u = 0; u < units.size(); ++u) in[u] = walk.has(u);
    search.offer(in, walk.size(), walk.sse());
  };
  tell();
  for (std::size_t k = 0; k < order.size(); ++k) {
    std::size_t least = units.size();
    for (const std::size_t u : order) {
      if (!walk.has(u) || walk.needed_by(u)) continue;
      if (least == units.size() || walk.change({u}) < walk.change({least})) least = u;
    }
    if (least == units.size()) break;
    walk.drop(least);
    tell();
  }

  std::vector<Index> columns;
  for (const std::size_t u : order)
    for (const Index c : units[u].columns) columns.push_back(c);
  search.explore(full.inverse(columns), full.coefficients(columns), full.sse(), full.size(), 0);
  return search.found();
}

}  // namespace renth
