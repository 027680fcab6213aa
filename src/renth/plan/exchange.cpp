#include <algorithm>
#include <array>
#include <cmath>
#include <renth/numeric/dense.hpp>
#include <renth/plan/exchange.hpp>
#include <renth/plan/exchange_values.hpp>
#include <renth/terms/term_rows.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

class Search {
 public:
  Search(const ExchangeProblem& problem, Stream& stream)
      : q_(problem), stream_(stream), rows_(q_.space, q_.terms), p_(rows_.size()), n_(q_.runs) {
    for (Index j = 0; j < q_.space.size(); ++j)
      alternatives_.push_back(alternatives_of(q_.space, j, q_.terms, rows_));
    for (const Alternatives& a : alternatives_) fine_ = fine_ || a.fine;
    fine_ = fine_ && q_.candidates.rows() == 0;
    list_ = q_.candidates.rows() > 0 ? &q_.candidates : &q_.pool;
    use_list_ = q_.candidates.rows() > 0;
    if (list_->rows() > 0) list_terms_ = model_matrix(q_.space, q_.terms, *list_);
  }

  ExchangeResult run(int rounds, const Eigen::MatrixXd& from) {
    ExchangeResult out;
    for (int attempt = 0; attempt < 20 && !out.found; ++attempt) {
      start(from);
      for (int pass = 0; pass < 4 && !out.found; ++pass) {
        sweep(0, true);
        out.found = refresh(0);
        if (!out.found) refresh(ridge);
      }
    }
    if (!out.found) return out;
    use_list_ = list_->rows() > 0;
    descend();
    use_list_ = q_.candidates.rows() > 0;  // the pool is only for a good beginning
    keep();
    for (int round = 0; round < rounds; ++round) {
      perturb();
      if (invertible_) descend();
      if (invertible_ && fine_)
        for (const double step : {0.25, 0.08, 0.025})
          for (int pass = 0; pass < 3 && sweep(step, false); ++pass) {
          }
      if (invertible_ && value() > best_value_ + tolerance())
        keep();
      else
        restore();
    }
    refresh(0);
    keep();
    for (const double step : {0.3, 0.12, 0.05, 0.02, 0.008, 0.003})
      for (int pass = 0; pass < 12 && sweep(step, false); ++pass) refresh(0);
    refresh(0);
    if (!invertible_ || value() < best_value_) restore();
    out.points = at_.natural;
    out.value = value();
    return out;
  }

 private:
  static constexpr double ridge = 1e-6;
  double tolerance() const { return q_.weight.size() == 0 ? 1e-9 : 1e-10 * std::abs(best_value_); }
  double value() const {
    return q_.weight.size() == 0 ? at_.log_det : -(at_.inverse.cwiseProduct(q_.weight)).sum();
  }

  void start(const Eigen::MatrixXd& from) {
    at_.natural.resize(n_, q_.space.size());
    at_.coded.resize(q_.space.size(), n_);
    at_.x.resize(p_, n_);
    for (Index i = 0; i < n_; ++i) from.rows() == n_ ? set_row(i, from.row(i).transpose()) : random_row(i);
    refresh(ridge);
  }

  void set_row(Index i, const Eigen::VectorXd& point) {
    at_.natural.row(i) = point;
    for (Index j = 0; j < q_.space.size(); ++j) at_.coded(j, i) = q_.space.coded(j, point[j]);
    rows_.fill(at_.coded.col(i).data(), at_.x.col(i).data());
  }

  void random_row(Index i) {
    if (list_->rows() > 0) {
      set_row(i, list_->row(Index(stream_.below(std::uint64_t(list_->rows())))).transpose());
      return;
    }
    Eigen::VectorXd point(q_.space.size());
    for (Index j = 0; j < point.size(); ++j) {
      const Alternatives& a = alternatives_[std::size_t(j)];
      point[j] = a.fine && stream_.below(2) == 0 ? q_.space.from_unit(j, stream_.uniform(), true)
                                                 : a.natural[stream_.below(a.natural.size())];
    }
    set_row(i, point);
  }

  /// M⁻¹ from scratch. \returns whether M is invertible.
  bool refresh(double ridge_size) {
    Eigen::MatrixXd m = at_.x * at_.x.transpose();
    if (q_.fixed.size() > 0) m += q_.fixed;
    const double scale = m.diagonal().maxCoeff();
    m.diagonal().array() += ridge_size;
    const PositiveFactor factor(m);
    const Eigen::ArrayXd pivots = factor.pivots();
    invertible_ = factor.is_definite() && pivots.square().minCoeff() > 1e-9 * scale;
    if (!factor.is_definite() || !(ridge_size > 0 || invertible_)) return invertible_ = false;
    at_.log_det = 2 * pivots.log().sum();
    at_.inverse = factor.inverse();
    list_fresh_ = false;
    weighted();
    return invertible_;
  }
  void weighted() {
    if (q_.weight.size() == 0) return;
    work_.noalias() = at_.inverse * q_.weight;
    at_.middle.noalias() = work_ * at_.inverse;
  }

  void keep() {
    best_ = at_;
    best_value_ = value();
  }
  void restore() {
    at_ = best_;
    list_fresh_ = false;
    invertible_ = true;
  }
  void perturb() {
    const auto most = std::max<std::uint64_t>(1, std::min<std::uint64_t>(4, std::uint64_t(n_) / 4));
    for (std::uint64_t k = 0, moved = 1 + stream_.below(most); k < moved; ++k)
      random_row(Index(stream_.below(std::uint64_t(n_))));
    refresh(0);
  }
  void descend() {
    for (int pass = 0; pass < 60 && sweep(0, false); ++pass)
      if (pass % 8 == 7 && !refresh(0)) return;
  }

  bool sweep(double step, bool any_gain) {
    bool improved = false;
    for (Index i = 0; i < n_; ++i) improved |= improve(i, step, any_gain);
    return improved;
  }

  /// Exchanges row i for the best that its neighbours offer.
  bool improve(Index i, double step, bool any_gain) {
    const bool weighted = q_.weight.size() > 0;
    f_ = at_.x.col(i);
    u_.noalias() = at_.inverse * f_;
    y_ = u_;
    uf_ = d_ = f_.dot(u_);
    rest_ = std::max(0.0, 1 - d_);
    if (weighted) {
      v_.noalias() = at_.middle * f_;
      z_ = v_;
      s_ = vf_ = e_ = f_.dot(v_);
    }
    const double begin = now_ = objective(d_, uf_, e_, vf_);
    point_ = at_.natural.row(i).transpose();
    code_ = at_.coded.col(i);
    if (use_list_ && step == 0) try_list();
    if (q_.candidates.rows() == 0)
      for (int round = 0; round < 3; ++round) {
        bool changed = false;
        for (Index j = 0; j < q_.space.size(); ++j)
          if (!rows_.with(j).empty()) changed |= move(j, step);
        if (!changed) break;
      }
    const double gain = now_ - begin;
    const double least = weighted ? (any_gain ? 1e-14 : 1e-9) * std::abs(value()) : 1e-8;
    if (!(gain > least)) return false;
    commit(i);
    return true;
  }

  /// What replacing the row by f gains, from d = fᵀM⁻¹f, uf = fᵀu, e = fᵀWf and vf = fᵀv with W = M⁻¹BM⁻¹,
  /// u = M⁻¹f_i, v = Wf_i: the factor of det M, or the fall of trace(M⁻¹B).
  double objective(double d, double uf, double e, double vf) const {
    const double ratio = rest_ * (1 + d) + uf * uf;
    if (q_.weight.size() == 0) return ratio;
    return ratio > 1e-10 ? (rest_ * e + 2 * uf * vf - (1 + d) * s_) / ratio : -1e300;
  }

  /// Tries values of coordinate j: the fixed ones, or both ways by `step`.
  bool move(Index j, double step) {
    const Alternatives& a = alternatives_[std::size_t(j)];
    const std::vector<int>& with = rows_.with(j);
    const auto m = Index(with.size());
    const bool weighted = q_.weight.size() > 0;
    if (step > 0 && !a.fine) return false;
    if (m == 1 && !weighted && step == 0) return move_single(j, a, with[0]);
    // What belongs to this coordinate, side by side: the parts of y, u, M⁻¹ and, weighted, of z, v, W.
    const Index need = 4 * m + (m + 2) * m * (weighted ? 2 : 1);
    buffer_.resize(std::size_t(need));
    double *others = buffer_.data(), *delta = others + m, *best_delta = delta + m, *own = best_delta + m,
           *y = own + m, *u = y + m, *inverse = u + m, *z = inverse + m * m, *v = z + m, *middle = v + m;
    rows_.others(code_.data(), j, others);
    for (Index k = 0; k < m; ++k) {
      const Index t = with[std::size_t(k)];
      y[k] = 2 * y_[t], u[k] = u_[t];
      for (Index l = 0; l < m; ++l) inverse[k * m + l] = at_.inverse(with[std::size_t(l)], t);
      if (!weighted) continue;
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
    double best = now_ + 1e-12 * (1 + std::abs(now_)), best_coded = 0, best_natural = 0;
    std::array<double, 4> best_forms{};
    bool moved = false;
    const auto try_value = [&](double coded, double natural, const double* factors) {
      if (natural == point_[j]) return;
      double d = d_, uf = uf_, e = e_, vf = vf_;
      for (Index k = 0; k < m; ++k) {
        delta[k] = others[k] * factors[k] - f_[with[std::size_t(k)]];
        uf += delta[k] * u[k];
      }
      add(y, inverse, d);
      if (weighted) {
        add(z, middle, e);
        for (Index k = 0; k < m; ++k) vf += delta[k] * v[k];
      }
      const double value = objective(d, uf, e, vf);
      if (!(value > best) || !allowed(j, natural)) return;
      best = value;
      best_forms = {d, uf, e, vf};
      best_coded = coded;
      best_natural = natural;
      std::copy(delta, delta + m, best_delta);
      moved = true;
    };
    if (step == 0) {
      for (std::size_t k = 0; k < a.coded.size(); ++k)
        try_value(a.coded[k], a.natural[k], a.factors.col(Index(k)).data());
    } else {
      for (const double way : {-step, step}) {
        double natural = q_.space[j].snap(q_.space.natural(j, std::clamp(code_[j] + way, -1.0, 1.0)));
        if (!allowed(j, natural) && !q_.space[j].is_discrete()) natural = to_limit(j, natural);
        const double coded = q_.space.coded(j, natural);
        rows_.factors(j, coded, own);
        try_value(coded, natural, own);
      }
    }
    if (!moved) return false;
    for (Index k = 0; k < m; ++k) {
      const Index t = with[std::size_t(k)];
      f_[t] += best_delta[k];
      y_ += best_delta[k] * at_.inverse.col(t);
      if (weighted) z_ += best_delta[k] * at_.middle.col(t);
    }
    d_ = best_forms[0], uf_ = best_forms[1], e_ = best_forms[2], vf_ = best_forms[3];
    now_ = best;
    code_[j] = best_coded;
    point_[j] = best_natural;
    return true;
  }

  /// move() for a coordinate that is in one term alone, and the determinant.
  bool move_single(Index j, const Alternatives& a, Index t) {
    double others = 1;
    rows_.others(code_.data(), j, &others);
    double best = now_ + 1e-12 * (1 + now_), best_delta = 0;
    std::size_t chosen = a.coded.size();
    for (std::size_t k = 0; k < a.coded.size(); ++k) {
      const double delta = others * a.factors(0, Index(k)) - f_[t], uf = uf_ + delta * u_[t];
      const double d = d_ + delta * (2 * y_[t] + delta * at_.inverse(t, t)),
                   value = rest_ * (1 + d) + uf * uf;
      if (!(value > best) || !allowed(j, a.natural[k])) continue;
      best = value;
      best_delta = delta;
      chosen = k;
    }
    if (chosen == a.coded.size()) return false;
    d_ += best_delta * (2 * y_[t] + best_delta * at_.inverse(t, t));
    uf_ += best_delta * u_[t];
    f_[t] += best_delta;
    y_ += best_delta * at_.inverse.col(t);
    now_ = best;
    code_[j] = a.coded[chosen];
    point_[j] = a.natural[chosen];
    return true;
  }

  bool allowed(Index j, double natural) {
    if (q_.space.limits().empty()) return true;
    const double was = point_[j];
    point_[j] = natural;
    const bool ok = q_.space.allows(point_);
    point_[j] = was;
    return ok;
  }
  /// The last allowed value on the way from where coordinate j is.
  double to_limit(Index j, double beyond) {
    double inside = point_[j];
    for (int k = 0; k < 30; ++k) {
      const double middle = 0.5 * (inside + beyond);
      (allowed(j, middle) ? inside : beyond) = middle;
    }
    return inside;
  }

  /// fᵀM⁻¹f and fᵀWf of every row of the list, in blocks that stay in the cache.
  void measure_list() {
    constexpr Index block = 1024;
    const Index m = list_terms_.rows();
    list_d_.resize(m);
    list_e_.setZero(q_.weight.size() > 0 ? m : 0);
    for (Index from = 0; from < m; from += block) {
      const auto part = list_terms_.middleRows(from, std::min(block, m - from));
      work_.noalias() = part * at_.inverse;
      list_d_.segment(from, part.rows()) = work_.cwiseProduct(part).rowwise().sum();
      if (q_.weight.size() == 0) continue;
      work_.noalias() = part * at_.middle;
      list_e_.segment(from, part.rows()) = work_.cwiseProduct(part).rowwise().sum();
    }
    list_fresh_ = true;
  }

  /// Whole rows from the list.
  void try_list() {
    Index best = -1;
    double best_value = now_ + 1e-12 * (1 + std::abs(now_));
    const bool weighted = q_.weight.size() > 0;
    if (!list_fresh_) measure_list();
    list_u_.noalias() = list_terms_ * u_;
    if (weighted) list_v_.noalias() = list_terms_ * v_;
    for (Index k = 0; k < list_d_.size(); ++k) {
      const double value =
          objective(list_d_[k], list_u_[k], weighted ? list_e_[k] : 0, weighted ? list_v_[k] : 0);
      if (value > best_value) {
        best_value = value;
        best = k;
      }
    }
    if (best < 0) return;
    f_ = list_terms_.row(best).transpose();
    y_.noalias() = at_.inverse * f_;
    d_ = f_.dot(y_);
    uf_ = f_.dot(u_);
    if (weighted) {
      z_.noalias() = at_.middle * f_;
      e_ = f_.dot(z_);
      vf_ = f_.dot(v_);
    }
    now_ = best_value;
    point_ = list_->row(best).transpose();
    for (Index j = 0; j < point_.size(); ++j) code_[j] = q_.space.coded(j, point_[j]);
  }

  /// list_d_ after commit(), by the same formula; the weighted form is measured anew.
  void update_list() {
    if (!use_list_ || !list_fresh_ || q_.weight.size() > 0) {
      list_fresh_ = false;
      return;
    }
    const double ratio = rest_ * (1 + d_) + uf_ * uf_;
    list_v_.noalias() = list_terms_ * y_;
    list_u_.noalias() = list_terms_ * u_;
    list_d_.array() -= (rest_ * list_v_.array().square() + 2 * uf_ * list_v_.array() * list_u_.array() -
                        (1 + d_) * list_u_.array().square()) /
                       ratio;
  }

  /// Puts f_ in the place of row i: M⁻¹ by the Sherman–Morrison–Woodbury formula; y_ is M⁻¹f_.
  void commit(Index i) {
    update_list();
    const double ratio = rest_ * (1 + d_) + uf_ * uf_, aa = rest_ / ratio, au = uf_ / ratio,
                 uu = (1 + d_) / ratio;
    for (Index t = 0; t < p_; ++t)
      at_.inverse.col(t) -= (aa * y_[t] + au * u_[t]) * y_ + (au * y_[t] - uu * u_[t]) * u_;
    at_.log_det += std::log(ratio);
    at_.x.col(i) = f_;
    at_.natural.row(i) = point_.transpose();
    at_.coded.col(i) = code_;
    weighted();
  }

  const ExchangeProblem& q_;
  Stream& stream_;
  TermRows rows_;
  Index p_, n_;
  std::vector<Alternatives> alternatives_;
  const Eigen::MatrixXd* list_ = nullptr;
  Eigen::MatrixXd list_terms_, work_;
  Eigen::VectorXd list_d_, list_e_, list_u_, list_v_;  // forms of every row of the list
  bool use_list_ = false, list_fresh_ = false, fine_ = false;

  /// The rows, and what follows from them.
  struct State {
    Eigen::MatrixXd natural, coded, x;  // n × d, d × n, p × n
    Eigen::MatrixXd inverse, middle;    // M⁻¹ and M⁻¹·weight·M⁻¹
    double log_det = 0;
  };
  State at_, best_;
  double best_value_ = 0;
  bool invertible_ = false;

  // The row under exchange: its terms f, u = M⁻¹f_i, v = Wf_i, y = M⁻¹f, z = Wf, and the forms of
  // objective().
  Eigen::VectorXd f_, u_, v_, y_, z_, point_, code_;
  double rest_ = 0, s_ = 0, d_ = 0, uf_ = 0, e_ = 0, vf_ = 0, now_ = 0;
  std::vector<double> buffer_;
};

}  // namespace

ExchangeResult exchange(const ExchangeProblem& problem, int rounds, Stream& stream,
                        const Eigen::MatrixXd& start) {
  return Search(problem, stream).run(rounds, start);
}

}  // namespace renth
