#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/fit/least_angles.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// Least squares on a growing set of columns: residuals, leverages and the trace of (XᵀX)⁻¹.
class Growing {
 public:
  Growing(const Eigen::VectorXd& y, Index most)
      : residual_(y), leverage_(Eigen::VectorXd::Zero(y.size())), q_(y.size(), most), inverse_(most, most) {
    inverse_.setZero();
  }
  /// \returns false if the column depends on those before.
  bool add(const Eigen::VectorXd& column) {
    Eigen::VectorXd v = column, r = Eigen::VectorXd::Zero(size_);
    for (int pass = 0; pass < 2; ++pass) {
      const Eigen::VectorXd part = q_.leftCols(size_).transpose() * v;
      v -= q_.leftCols(size_) * part;
      r += part;
    }
    const double left = v.norm();
    if (left < 1e-9 * column.norm()) return false;
    v /= left;
    inverse_.col(size_).head(size_) =
        inverse_.topLeftCorner(size_, size_).triangularView<Eigen::Upper>() * (r / -left);
    inverse_(size_, size_) = 1 / left;
    trace_ += inverse_.col(size_).head(size_ + 1).squaredNorm();
    q_.col(size_++) = v;
    residual_ -= v * v.dot(residual_);
    leverage_ += v.cwiseAbs2();
    return true;
  }
  double corrected_error() const {
    const auto n = double(residual_.size()), k = double(size_);
    if (k >= n) return std::numeric_limits<double>::infinity();
    double sum = 0;
    for (Index i = 0; i < residual_.size(); ++i) {
      const double left = 1 - leverage_[i];
      if (left < 1e-10) return std::numeric_limits<double>::infinity();
      sum += residual_[i] * residual_[i] / (left * left);
    }
    return sum / n * n / (n - k) * (1 + trace_);
  }

 private:
  Eigen::VectorXd residual_, leverage_;
  Eigen::MatrixXd q_, inverse_;
  Index size_ = 0;
  double trace_ = 0;
};

/// The column that goes best with what is left over; −1: none.
Index most_correlated(const Eigen::VectorXd& c, const std::vector<char>& usable,
                      const std::vector<char>& active, double& largest) {
  Index next = -1;
  for (Index j = 0; j < c.size(); ++j)
    if (usable[std::size_t(j)] && !active[std::size_t(j)] && std::abs(c[j]) > largest) {
      largest = std::abs(c[j]);
      next = j;
    }
  return next;
}

/// How far along until another column is as correlated.
double step_until_next(const Eigen::VectorXd& c, const Eigen::VectorXd& along, double top, double a,
                       const std::vector<char>& usable, const std::vector<char>& active) {
  double step = top / a;
  for (Index j = 0; j < c.size(); ++j) {
    if (!usable[std::size_t(j)] || active[std::size_t(j)]) continue;
    for (const double side : {1.0, -1.0}) {
      const double reach = (top - side * c[j]) / (a - side * along[j]);
      if (reach > 1e-14 * top / a && reach < step) step = reach;
    }
  }
  return step;
}

/// Centred, unit length; columns that do not vary never come in.
Eigen::MatrixXd unit_columns(const Eigen::MatrixXd& columns, std::vector<char>& usable) {
  Eigen::MatrixXd x = columns.rowwise() - columns.colwise().mean();
  for (Index j = 0; j < x.cols(); ++j) {
    const double length = x.col(j).norm();
    if (length < 1e-10 * (1 + columns.col(j).norm()))
      usable[std::size_t(j)] = 0;
    else
      x.col(j) /= length;
  }
  return x;
}

}  // namespace

std::size_t LeastAnglePath::best() const {
  return std::size_t(std::min_element(error.begin(), error.end()) - error.begin());
}

LeastAnglePath least_angles(const Eigen::MatrixXd& columns, const Eigen::VectorXd& y, int most) {
  const Index n = columns.rows(), p = columns.cols();
  LeastAnglePath out;
  most = std::min<int>({most, int(n) - 2, int(p)});
  std::vector<char> usable(std::size_t(p), 1), active(std::size_t(p), 0);
  const Eigen::MatrixXd x = unit_columns(columns, usable);
  Growing fit(y, std::max(most, 0) + 1);
  fit.add(Eigen::VectorXd::Ones(n));
  out.error.push_back(fit.corrected_error());

  Eigen::VectorXd c = x.transpose() * (y.array() - y.mean()).matrix();
  const double first = c.cwiseAbs().maxCoeff();
  Eigen::MatrixXd xa(n, std::max(most, 1)), factor(std::max(most, 1), std::max(most, 1));  // L of XaᵀXa
  factor.setZero();
  Eigen::VectorXd sign(std::max(most, 1));
  int count = 0;
  while (count < most) {
    double largest = 0;
    const Index next = most_correlated(c, usable, active, largest);
    if (next < 0 || largest < 1e-13 * first) break;
    // A row more of the Cholesky factor; what depends on the active ones cannot come in.
    const Eigen::VectorXd cross = xa.leftCols(count).transpose() * x.col(next);
    Eigen::VectorXd row = cross;
    factor.topLeftCorner(count, count).triangularView<Eigen::Lower>().solveInPlace(row);
    const double pivot = 1 - row.squaredNorm();
    if (pivot < 1e-9 || !fit.add(columns.col(next))) {
      usable[std::size_t(next)] = 0;
      continue;
    }
    factor.row(count).head(count) = row.transpose();
    factor(count, count) = std::sqrt(pivot);
    xa.col(count) = x.col(next);
    sign[count] = c[next] < 0 ? -1 : 1;
    active[std::size_t(next)] = 1;
    ++count;
    out.order.push_back(int(next));
    out.error.push_back(fit.corrected_error());
    if (!std::isfinite(out.error.back())) break;
    // Well past the smallest: more columns only follow the noise.
    const std::size_t best = out.best();
    if (out.error.size() > best + 12 + best / 5) break;

    // Equiangular direction, and how far until another column is as correlated.
    Eigen::VectorXd w = sign.head(count);
    const auto lower = factor.topLeftCorner(count, count).triangularView<Eigen::Lower>();
    lower.solveInPlace(w);
    const double a = 1 / w.norm();
    factor.topLeftCorner(count, count).transpose().triangularView<Eigen::Upper>().solveInPlace(w);
    const Eigen::VectorXd along = x.transpose() * (xa.leftCols(count) * (a * w));
    const double top = std::abs(c[out.order[0]]);
    c -= step_until_next(c, along, top, a, usable, active) * along;
  }
  return out;
}

}  // namespace renth
