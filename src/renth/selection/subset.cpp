#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/numeric/dense.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/selection/subset.hpp>

namespace renth {
namespace {

using Eigen::Index;
constexpr double no_value = std::numeric_limits<double>::quiet_NaN();

/// Factors with their powers, contrasts of one choice alike.
std::vector<std::pair<int, int>> shape(const Term& term) {
  std::vector<std::pair<int, int>> out;
  for (const Factor& f : term.factors) out.emplace_back(f.parameter, f.power);
  return out;
}

double press_of(const Eigen::VectorXd& residual, const Eigen::VectorXd& hat) {
  double sum = 0;
  for (Index i = 0; i < residual.size(); ++i) {
    const double left = 1 - hat[i];
    if (left < 1e-10) return no_value;
    sum += std::pow(residual[i] / left, 2);
  }
  return sum;
}

}  // namespace

std::vector<TermUnit> term_units(const Space& space, const Regression& design, bool heredity) {
  std::vector<TermUnit> out;
  std::vector<std::vector<std::pair<int, int>>> shapes;
  for (const TermGroup& g : group_contrasts(space, design.terms)) {
    out.push_back({g.name, g.terms, {}, {}, false});
    for (const std::size_t t : g.terms) out.back().columns.push_back(design.column[t]);
    shapes.push_back(shape(design.terms[g.terms[0]]));
  }
  if (!heredity) return out;
  for (std::size_t u = 0; u < shapes.size(); ++u)
    for (std::size_t k = 0; k < shapes[u].size(); ++k) {
      auto parent = shapes[u];
      if (--parent[k].second == 0) parent.erase(parent.begin() + std::ptrdiff_t(k));
      const auto found = std::find(shapes.begin(), shapes.end(), parent);
      if (found != shapes.end()) out[u].parents.push_back(std::size_t(found - shapes.begin()));
    }
  return out;
}

SubsetModel::SubsetModel(const Regression& design, std::vector<TermUnit> units, bool rows)
    : units_(std::move(units)), in_(units_.size(), false), column_in_(std::size_t(design.size()), false) {
  const Index p = design.size();
  // The mean is taken off, or the sweep would have to.
  y_ = design.scaled(design.y.array() - (design.constant ? design.y.mean() : 0));
  a_.resize(p + 1, p + 1);
  const auto r = design.r.cast<long double>().eval();
  a_.topLeftCorner(p, p) = r.transpose() * r;
  Extended xy = Extended::Zero(p);
  for (Index j = 0; j < p; ++j)
    for (Index i = 0; i < y_.size(); ++i) xy[j] += static_cast<long double>(design.x(i, j)) * y_[i];
  a_.col(p).head(p) = xy;
  a_.row(p).head(p) = xy.transpose();
  a_(p, p) = y_.cast<long double>().squaredNorm();
  diagonal_ = a_.diagonal().head(p).cast<double>();
  if (rows) {
    rows_ = design.x;
    hat_ = Eigen::VectorXd::Zero(y_.size());
    residual_ = y_;
  }
  between_ = design.between;
  plots_ = double(design.plots.count());
  if (design.constant) sweep(0, true);
  sst_ = sse();
  for (Index b = 0; b < design.block_columns; ++b) sweep(design.first_block + b, true);
}

void SubsetModel::sweep(Index k, bool in) {
  const long double d = a_(k, k);
  if (rows_.size() > 0) {
    // Runs are more rows of the matrix: with v = row k of the cross-products, every other column loses
    // its share of column k, and column k is scaled.
    const Eigen::VectorXd column = rows_.col(k);
    const double norm = double(in ? d : -1 / d);  // of the part of column k that is orthogonal to the rest
    const double toward = double(a_(k, last()) / d);
    if (in) {
      residual_ -= column * toward;
      hat_ += column.array().square().matrix() / norm;
    } else {
      // The dual of column k, times its norm, is that orthogonal part.
      residual_ += column * (norm * double(a_(k, last())));
      hat_ -= column.array().square().matrix() * norm;
    }
    Eigen::VectorXd share = (a_.row(k).head(last()) / d).transpose().cast<double>();
    share[k] = 0;
    rows_.noalias() -= column * share.transpose();
    rows_.col(k) = column / double(in ? d : -d);
  }
  const Extended row = a_.row(k).transpose();
  a_.noalias() -= (row / d) * row.transpose();
  a_.row(k) = row.transpose() / (in ? d : -d);
  a_.col(k) = row / (in ? d : -d);
  a_(k, k) = -1 / d;
  column_in_[std::size_t(k)] = in;
  size_ += in ? 1 : -1;
}

void SubsetModel::turn(std::size_t unit, bool in) {
  for (const Index k : units_[unit].columns)
    if (in ? double(a_(k, k)) > 1e-14 * diagonal_[k] : bool(column_in_[std::size_t(k)])) sweep(k, in);
  in_[unit] = in;
}

std::vector<Index> SubsetModel::columns(const Units& units) const {
  std::vector<Index> out;
  for (const std::size_t u : units) out.insert(out.end(), units_[u].columns.begin(), units_[u].columns.end());
  return out;
}

double SubsetModel::change(const Units& units) const {
  // Out: what is left of the columns and of y; in: minus the inverse and the coefficients.
  if (units.empty()) return 0;
  const std::vector<Index> columns = this->columns(units);
  const bool in = in_[units[0]];
  const auto m = Index(columns.size());
  Eigen::MatrixXd block(m, m);
  Eigen::VectorXd toward(m);
  for (Index i = 0; i < m; ++i) {
    const Index k = columns[std::size_t(i)];
    if (in ? !column_in_[std::size_t(k)] : !(double(a_(k, k)) > 1e-14 * diagonal_[k])) return no_value;
    toward[i] = double(a_(k, last()));
    for (Index j = 0; j < m; ++j) block(i, j) = double(a_(k, columns[std::size_t(j)])) * (in ? -1 : 1);
  }
  return m == 1 ? toward[0] * toward[0] / block(0, 0) : toward.dot(LuFactor(block).solve(toward).col(0));
}

std::optional<std::size_t> SubsetModel::needed_by(std::size_t unit) const {
  for (std::size_t v = 0; v < units_.size(); ++v)
    if (in_[v] && std::count(units_[v].parents.begin(), units_[v].parents.end(), unit)) return v;
  return std::nullopt;
}

Eigen::VectorXd SubsetModel::coefficients(const std::vector<Index>& columns) const {
  return a_.col(last())(columns).cast<double>();
}

Eigen::MatrixXd SubsetModel::inverse(const std::vector<Index>& columns) const {
  return -a_(columns, columns).cast<double>();
}

double SubsetModel::freedom_of(const Units& units, double more) const {
  const double all = runs() - double(size_) - more;
  if (between_.empty()) return all;
  double used = 0;
  for (std::size_t c = 0; c < between_.size(); ++c) used += between_[c] && column_in_[c];
  const std::vector<Index> own = columns(units);
  const double mine = double(
                   std::count_if(own.begin(), own.end(), [&](Index c) { return between_[std::size_t(c)]; })),
               left = plots_ - used - (more > 0 ? mine : 0);
  return mine > 0 ? left : all - left;
}

double SubsetModel::p_value(const Units& units) const {
  if (!in_[units[0]]) return p_value_beyond({}, units);
  const double m = double(columns_of(units)), df = runs() - double(size_);
  return fisher_f_upper((change(units) / m) / (sse() / df), m, freedom_of(units, 0));
}

double SubsetModel::p_value_beyond(const Units& anyway, const Units& all) const {
  const double m = double(columns_of(all)), more = m - double(columns_of(anyway)), lost = change(all);
  const double df = runs() - double(size_) - m, left = std::max(sse() - lost, 0.0);
  return fisher_f_upper(((lost - change(anyway)) / more) / (left / df), more, freedom_of(all, m));
}

double SubsetModel::press() const {
  return press_of(residual_, hat_);
}

double SubsetModel::press_if_turned(const Units& units) const {
  if (units.empty()) return press();
  const bool in = in_[units[0]];
  Eigen::VectorXd residual = residual_, hat = hat_;
  std::vector<Eigen::VectorXd> basis;
  for (const Index k : columns(units)) {
    Eigen::VectorXd v = rows_.col(k);
    for (int pass = 0; pass < 2; ++pass)
      for (const Eigen::VectorXd& u : basis) v -= u * u.dot(v);
    const double size = v.norm();
    if (!(size > 0)) return no_value;
    v /= size;
    residual += in ? Eigen::VectorXd(v * v.dot(y_)) : Eigen::VectorXd(v * -v.dot(residual_));
    hat += v.array().square().matrix() * (in ? -1 : 1);
    basis.push_back(std::move(v));
  }
  return press_of(residual, hat);
}

}  // namespace renth
