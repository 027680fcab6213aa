#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/numeric/dense.hpp>
#include <renth/plan/exchanged_model.hpp>

namespace renth {

using Index = Eigen::Index;

ExchangedModel::ExchangedModel(const ExchangeProblem& problem, const ExchangeModel& model)
    : q_(problem),
      model_(model),
      rows_(problem.space, model.terms),
      p_(rows_.size()),
      all_(p_ + problem.columns.cols()) {
  at_.x.setZero(all_, q_.rows);
  at_.root.setOnes(q_.rows);
  if (q_.plot.size() == 0) return;
  members_.resize(std::size_t(q_.plot.maxCoeff()) + 1);
  for (Index i = 0; i < q_.rows; ++i) members_[std::size_t(q_.plot[i])].push_back(i);
  share_.resize(Index(members_.size()));
  for (std::size_t b = 0; b < members_.size(); ++b)
    share_[Index(b)] = q_.variance_ratio / (1 + q_.variance_ratio * double(members_[b].size()));
}

Eigen::VectorXd ExchangedModel::row_at(Index i, const double* coded) const {
  Eigen::VectorXd row(all_);
  rows_.fill(coded, row.data());
  if (all_ > p_) row.tail(all_ - p_) = q_.columns.row(i);
  return row;
}

void ExchangedModel::set_row(Index i, const double* coded, int runs) {
  at_.root[i] = std::sqrt(double(runs));
  at_.x.col(i) = at_.root[i] * row_at(i, coded);
}

bool ExchangedModel::refresh(double ridge) {
  at_.information.noalias() = at_.x * at_.x.transpose();
  for (std::size_t b = 0; b < members_.size(); ++b) {
    const Eigen::VectorXd sum = at_.x(Eigen::all, members_[b]).rowwise().sum();
    at_.information -= share_[Index(b)] * sum * sum.transpose();
  }
  if (model_.fixed.size() > 0) at_.information += model_.fixed;
  Eigen::MatrixXd m = at_.information;
  const double scale = m.diagonal().maxCoeff();
  m.diagonal().array() += ridge;
  const PositiveFactor factor(m);
  const Eigen::ArrayXd pivots = factor.pivots();
  const bool invertible = factor.is_definite() && pivots.square().minCoeff() > 1e-9 * scale;
  if (!factor.is_definite() || !(ridge > 0 || invertible)) return false;
  at_.log_det = 2 * pivots.log().sum();
  at_.inverse = factor.inverse();
  list_fresh_ = false;
  weigh();
  return invertible;
}

void ExchangedModel::weigh() {
  if (!weighted()) return;
  work_.noalias() = at_.inverse * model_.weight;
  at_.middle.noalias() = work_ * at_.inverse;
  at_.trace = work_.trace();
}

void ExchangedModel::restore(const State& state) {
  at_ = state;
  list_fresh_ = false;
}

double ExchangedModel::score(double a, double b, double dd, double dw) const {
  const double ratio = (1 + b) * (1 + b) + a * rest_;
  if (!weighted()) return ratio;
  return ratio > 1e-10 ? (rest_ * dd + 2 * (1 + b) * dw - a * ww_) / ratio : -1e300;
}

void ExchangedModel::begin(Index i) {
  root_ = at_.root[i];
  f_ = at_.x.col(i);
  w_ = f_;
  const double c = plot_share(i);
  if (c > 0) w_ -= c * at_.x(Eigen::all, members_[std::size_t(q_.plot[i])]).rowwise().sum();
  u_.noalias() = at_.inverse * w_;
  y_.setZero(all_);
  rest_ = std::max(0.0, 1 - c - w_.dot(u_));
  a_ = b_ = 0;
  if (!weighted()) return;
  v_.noalias() = at_.middle * w_;
  z_.setZero(all_);
  ww_ = w_.dot(v_);
  dd_ = dw_ = 0;
}

void ExchangedModel::try_values(Index j, const double* code, const Eigen::MatrixXd& factors, double* score) {
  const std::vector<int>& with = rows_.with(j);
  const auto m = Index(with.size());
  if (m == 1 && !weighted()) {  // quicker
    const Index t = with[0];
    double others = 1;
    rows_.others(code, j, &others);
    others *= root_;
    const double y = 2 * y_[t], u = u_[t], inverse = at_.inverse(t, t), f = f_[t];
    for (Index k = 0; k < factors.cols(); ++k) {
      const double delta = others * factors(0, k) - f, b = 1 + b_ + delta * u,
                   a = a_ + delta * (y + delta * inverse);
      score[k] = b * b + a * rest_;
    }
    return;
  }
  // What belongs to this coordinate, side by side: the parts of y, u, M⁻¹ and, weighted, of z, v, W.
  buffer_.resize(std::size_t(2 * m + (m + 2) * m * (weighted() ? 2 : 1)));
  double *others = buffer_.data(), *delta = others + m, *y = delta + m, *u = y + m, *inverse = u + m,
         *z = inverse + m * m, *v = z + m, *middle = v + m;
  rows_.others(code, j, others);
  for (Index k = 0; k < m; ++k) {
    const Index t = with[std::size_t(k)];
    others[k] *= root_;
    y[k] = 2 * y_[t], u[k] = u_[t];
    for (Index l = 0; l < m; ++l) inverse[k * m + l] = at_.inverse(with[std::size_t(l)], t);
    if (!weighted()) continue;
    z[k] = 2 * z_[t], v[k] = v_[t];
    for (Index l = 0; l < m; ++l) middle[k * m + l] = at_.middle(with[std::size_t(l)], t);
  }
  const auto add = [&](const double* linear, const double* square, double& form) {
    for (Index k = 0; k < m; ++k) {
      double sum = linear[k];
      for (Index l = 0; l < m; ++l) sum += square[k * m + l] * delta[l];
      form += delta[k] * sum;
    }
  };
  for (Index n = 0; n < factors.cols(); ++n) {
    double a = a_, b = b_, dd = dd_, dw = dw_;
    bool moves = false;
    for (Index k = 0; k < m; ++k) {
      delta[k] = others[k] * factors(k, n) - f_[with[std::size_t(k)]];
      b += delta[k] * u[k];
      moves = moves || delta[k] != 0;
    }
    if (!moves) {  // the value it has
      score[n] = this->score(a, b, dd, dw);
      continue;
    }
    add(y, inverse, a);
    if (weighted()) {
      add(z, middle, dd);
      for (Index k = 0; k < m; ++k) dw += delta[k] * v[k];
    }
    score[n] = this->score(a, b, dd, dw);
  }
}

void ExchangedModel::take(Index j, const double* code, const double* factors) {
  const std::vector<int>& with = rows_.with(j);
  buffer_.resize(std::max(buffer_.size(), with.size()));
  rows_.others(code, j, buffer_.data());
  for (std::size_t k = 0; k < with.size(); ++k) {
    const Index t = with[k];
    const double delta = root_ * buffer_[k] * factors[k] - f_[t];
    if (delta == 0) continue;
    f_[t] += delta;
    a_ += delta * (2 * y_[t] + delta * at_.inverse(t, t));
    b_ += delta * u_[t];
    y_ += delta * at_.inverse.col(t);
    if (!weighted()) continue;
    dd_ += delta * (2 * z_[t] + delta * at_.middle(t, t));
    dw_ += delta * v_[t];
    z_ += delta * at_.middle.col(t);
  }
}

void ExchangedModel::set_list(const Eigen::MatrixXd& list) {
  list_terms_ = model_matrix(q_.space, model_.terms, list);
}

/// gᵀM⁻¹g and gᵀWg of every row of the list, in blocks that stay in the cache.
void ExchangedModel::measure_list() {
  constexpr Index block = 1024;
  const Index m = list_terms_.rows();
  list_d_.resize(m);
  list_e_.setZero(weighted() ? m : 0);
  for (Index from = 0; from < m; from += block) {
    const auto part = list_terms_.middleRows(from, std::min(block, m - from));
    work_.noalias() = part * at_.inverse.topLeftCorner(p_, p_);
    list_d_.segment(from, part.rows()) = work_.cwiseProduct(part).rowwise().sum();
    if (!weighted()) continue;
    work_.noalias() = part * at_.middle.topLeftCorner(p_, p_);
    list_e_.segment(from, part.rows()) = work_.cwiseProduct(part).rowwise().sum();
  }
  list_fresh_ = true;
}

void ExchangedModel::try_list(double* scores) {
  if (!list_fresh_) measure_list();
  // The row's own columns stay: δ is root·g − f in the terms alone.
  const Eigen::VectorXd f = f_.head(p_);
  // Without plots and columns it is u, and a long product less.
  const bool plain = q_.plot.size() == 0 && all_ == p_;
  const Eigen::VectorXd mf = plain ? u_ : Eigen::VectorXd(at_.inverse.topLeftCorner(p_, p_) * f);
  const double r2 = root_ * root_, ff = f.dot(mf), fu = f.dot(u_.head(p_));
  list_u_.noalias() = list_terms_ * u_.head(p_);
  if (plain)
    list_v_ = list_u_;
  else
    list_v_.noalias() = list_terms_ * mf;
  double wf = 0, fv = 0;
  Eigen::VectorXd list_wf, list_v;
  if (weighted()) {
    const Eigen::VectorXd middle = at_.middle.topLeftCorner(p_, p_) * f;
    wf = f.dot(middle);
    fv = f.dot(v_.head(p_));
    list_v.noalias() = list_terms_ * v_.head(p_);
    if (plain)
      list_wf = list_v;
    else
      list_wf.noalias() = list_terms_ * middle;
  }
  for (Index k = 0; k < list_d_.size(); ++k) {
    const double a = r2 * list_d_[k] - 2 * root_ * list_v_[k] + ff, b = root_ * list_u_[k] - fu;
    scores[k] = weighted()
                    ? score(a, b, r2 * list_e_[k] - 2 * root_ * list_wf[k] + wf, root_ * list_v[k] - fv)
                    : score(a, b, 0, 0);
  }
}

void ExchangedModel::take_listed(Index k) {
  Eigen::VectorXd delta = -f_;
  delta.head(p_) += root_ * list_terms_.row(k).transpose();
  delta.tail(all_ - p_).setZero();
  f_ += delta;
  y_.noalias() = at_.inverse * delta;
  a_ = delta.dot(y_);
  b_ = delta.dot(u_);
  if (!weighted()) return;
  z_.noalias() = at_.middle * delta;
  dd_ = delta.dot(z_);
  dw_ = delta.dot(v_);
}

void ExchangedModel::commit(Index i) {
  // M⁻¹ by the Sherman–Morrison–Woodbury formula.
  const double ratio = (1 + b_) * (1 + b_) + a_ * rest_, yy = rest_ / ratio, yu = (1 + b_) / ratio,
               uu = -a_ / ratio;
  if (list_fresh_ && !weighted()) {
    list_v_.noalias() = list_terms_ * y_.head(p_);
    list_u_.noalias() = list_terms_ * u_.head(p_);
    list_d_.array() -= yy * list_v_.array().square() + 2 * yu * list_v_.array() * list_u_.array() +
                       uu * list_u_.array().square();
  } else {
    list_fresh_ = false;
  }
  for (Index t = 0; t < all_; ++t)
    at_.inverse.col(t) -= (yy * y_[t] + yu * u_[t]) * y_ + (yu * y_[t] + uu * u_[t]) * u_;
  at_.log_det += std::log(ratio);
  at_.x.col(i) = f_;
  weigh();
}

double ExchangedModel::try_run_moved(Index i, Index k) const {
  const Eigen::VectorXd from = at_.x.col(i) / at_.root[i], delta = at_.x.col(k) / at_.root[k] - from;
  const Eigen::VectorXd u = at_.inverse * from, y = at_.inverse * delta;
  const double a = delta.dot(y), b = delta.dot(u), rest = std::max(0.0, 1 - from.dot(u)),
               ratio = (1 + b) * (1 + b) + a * rest;
  if (!weighted()) return ratio;
  const Eigen::VectorXd v = at_.middle * from, z = at_.middle * delta;
  return ratio > 1e-10 ? (rest * delta.dot(z) + 2 * (1 + b) * delta.dot(v) - a * from.dot(v)) / ratio
                       : -1e300;
}

double ExchangedModel::value_with_plot(Index plot, const Eigen::MatrixXd& rows) const {
  const Eigen::MatrixXd old = at_.x(Eigen::all, members_[std::size_t(plot)]);
  const Eigen::VectorXd old_sum = old.rowwise().sum(), sum = rows.rowwise().sum();
  const double c = share_[plot];
  Eigen::MatrixXd m = at_.information;
  m.noalias() += rows * rows.transpose() - old * old.transpose();
  m += c * (old_sum * old_sum.transpose() - sum * sum.transpose());
  const PositiveFactor factor(m);
  const double scale = m.diagonal().maxCoeff();
  if (!factor.is_definite() || !(Eigen::ArrayXd(factor.pivots()).square().minCoeff() > 1e-9 * scale))
    return -std::numeric_limits<double>::infinity();
  return weighted() ? -factor.inverse().cwiseProduct(model_.weight).sum() : factor.log_determinant();
}

}  // namespace renth
