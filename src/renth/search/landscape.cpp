#include <cmath>
#include <limits>
#include <renth/search/landscape.hpp>

namespace renth {

Landscape::Landscape(const Space& space, const Aims& aims, const MaximiseOptions& options)
    : space_(space), aims_(aims), options_(options) {
  for (Eigen::Index j = 0; j < space.size(); ++j) {
    if (is_held(j)) continue;
    const bool free = !space[j].is_discrete() || (!options.settable && space[j].is_between());
    (free ? continuous_ : discrete_).push_back(j);
    if (!free && space[j].is_between()) stepped_.push_back(j);
  }
}

Eigen::VectorXd Landscape::held(Eigen::VectorXd point) const {
  for (Eigen::Index j = 0; j < space_.size(); ++j)
    if (is_held(j)) point[j] = *options_.hold[std::size_t(j)];
  return point;
}

double Landscape::discrete_settings() const {
  double out = 1;
  for (const Eigen::Index j : discrete_) out *= space_[j].settable_count();
  return out;
}

std::vector<Standing> Landscape::at(const Eigen::MatrixXd& points) const {
  constexpr double never = std::numeric_limits<double>::infinity();
  std::vector<Standing> out(std::size_t(points.rows()), {-never, never});
  std::vector<Eigen::Index> allowed;
  Eigen::VectorXd point;
  for (Eigen::Index i = 0; i < points.rows(); ++i) {
    point = points.row(i);
    if (space_.allows(point)) allowed.push_back(i);
  }
  if (allowed.empty()) return out;
  const Eigen::MatrixXd y =
      Eigen::Index(allowed.size()) == points.rows() ? aims_(points) : aims_(points(allowed, Eigen::all));
  for (std::size_t a = 0; a < allowed.size(); ++a) {
    Standing s{y(Eigen::Index(a), 0), 0};
    constexpr double unknown = 1e3;  // worse than any margin that is known
    if (std::isnan(s.value)) s = {-never, unknown};
    for (Eigen::Index c = 1; c < y.cols(); ++c) {
      const double margin = y(Eigen::Index(a), c);
      if (!(margin >= 0)) s.violation += std::isfinite(margin) ? std::min(-margin, unknown) : unknown;
    }
    out[std::size_t(allowed[a])] = s;
  }
  return out;
}

Eigen::MatrixXd Landscape::columns(const Eigen::MatrixXd& points) const {
  const Eigen::MatrixXd y = aims_(points);
  const std::vector<Limit>& limits = space_.limits();
  Eigen::MatrixXd out(points.rows(), y.cols() + Eigen::Index(limits.size()));
  out.leftCols(y.cols()) = y;
  Eigen::VectorXd point;
  for (Eigen::Index i = 0; i < points.rows() && !limits.empty(); ++i) {
    point = points.row(i);
    for (std::size_t l = 0; l < limits.size(); ++l)
      out(i, y.cols() + Eigen::Index(l)) = limits[l].margin(point.data());
  }
  return out;
}

}  // namespace renth
