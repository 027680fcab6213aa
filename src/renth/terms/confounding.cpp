#include <fmt/format.h>

#include <cmath>
#include <renth/numeric/dense.hpp>
#include <renth/terms/block_columns.hpp>
#include <renth/terms/confounding.hpp>

namespace renth {

Confounding find_confounding(const Eigen::MatrixXd& x) {
  Confounding out;
  Eigen::MatrixXd q(x.rows(), x.cols());
  Eigen::Index rank = 0;
  for (Eigen::Index j = 0; j < x.cols(); ++j) {
    Eigen::VectorXd v = x.col(j);
    for (int pass = 0; pass < 2; ++pass)  // twice is enough
      for (Eigen::Index k = 0; k < rank; ++k) v -= q.col(k) * q.col(k).dot(v);
    if (v.norm() <= 1e-9 * std::max(x.col(j).norm(), 1e-300)) {
      out.dropped.push_back(j);
    } else {
      q.col(rank++) = v.normalized();
      out.kept.push_back(j);
    }
  }
  const Eigen::MatrixXd kept = x(Eigen::all, out.kept), dropped = x(Eigen::all, out.dropped);
  if (!out.dropped.empty() && !out.kept.empty()) out.dependence = least_squares(kept, dropped);
  return out;
}

std::string describe(const Space& space, const Terms& terms, const Confounding& found) {
  const auto term = [&](Eigen::Index i) {
    return i < Eigen::Index(terms.size()) ? name(space, terms[std::size_t(i)]) : std::string("blocks");
  };
  std::string text;
  for (std::size_t k = 0; k < found.dropped.size(); ++k) {
    std::string with;
    for (std::size_t j = 0; j < found.kept.size(); ++j)
      if (std::abs(found.dependence(Eigen::Index(j), Eigen::Index(k))) > 1e-8)
        with += (with.empty() ? "" : ", ") + term(found.kept[j]);
    text += fmt::format("{}{} with {}", text.empty() ? "" : "; ", term(found.dropped[k]),
                        with.empty() ? "nothing (it is zero in every run)" : with);
  }
  return text;
}

Terms estimable_terms(const Space& space, const Terms& terms, Points points, const Eigen::VectorXi& blocks) {
  // In the order of a regression: the constant, the blocks, the other terms.
  const Eigen::MatrixXd model = model_matrix(space, terms, points);
  const BlockColumns in(blocks);
  const Eigen::Index first = !terms.empty() && terms[0].factors.empty() ? 1 : 0;
  Eigen::MatrixXd columns(model.rows(), model.cols() + in.size());
  columns.leftCols(first) = model.leftCols(first);
  if (in.size() > 0) columns.middleCols(first, in.size()) = in.columns();
  columns.rightCols(model.cols() - first) = model.rightCols(model.cols() - first);
  Terms kept;
  for (const Eigen::Index i : find_confounding(columns).kept)
    if (i < first || i >= first + in.size())
      kept.push_back(terms[std::size_t(i < first ? i : i - in.size())]);
  return kept;
}

Terms suggested_terms(const Space& space, Points points, const Eigen::VectorXi& blocks, int spare) {
  const Terms linear = parse_terms(space, "linear");
  const Eigen::Index room = points.rows() - BlockColumns(blocks).size();
  for (const char* family : {"quadratic", "products", "linear"}) {
    const Terms all = parse_terms(space, family);
    if (Eigen::Index(all.size()) > points.rows() + 200) continue;  // hopeless, and large
    const Terms kept = estimable_terms(space, all, points, blocks);
    const bool full =
        kept.size() == all.size() || family == std::string_view("linear") || kept.size() > linear.size();
    if (full && Eigen::Index(kept.size()) + spare <= room) return kept;
  }
  Terms kept = estimable_terms(space, linear, points, blocks);
  while (kept.size() > 1 && Eigen::Index(kept.size()) >= room) kept.pop_back();
  return kept;
}

}  // namespace renth
