#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <renth/plan/exchange.hpp>
#include <renth/plan/exchanged_rows.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

class Search : ExchangedRows {
 public:
  Search(const ExchangeProblem& problem, Stream& stream)
      : ExchangedRows(problem, stream),
        use_list_(q_.candidates.rows() > 0),
        is_hard_(std::size_t(d_), false) {
    for (const Alternatives& a : alternatives_) fine_ = fine_ || a.fine;
    fine_ = fine_ && q_.candidates.rows() == 0;
    for (const Index j : q_.hard) is_hard_[std::size_t(j)] = true;
  }

  ExchangeResult run(int rounds, const ExchangeResult& from) {
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
      if (invertible_ && value() > best_.value + tolerance())
        keep();
      else
        restore();
    }
    refresh(0);
    keep();
    for (const double step : {0.3, 0.12, 0.05, 0.02, 0.008, 0.003})
      for (int pass = 0; pass < 12 && sweep(step, false); ++pass) refresh(0);
    refresh(0);
    if (!invertible_ || value() < best_.value) restore();
    out.points = natural_;
    out.runs = runs_;
    out.value = value();
    return out;
  }

 private:
  void perturb() {
    if (in_plots() && stream_.below(2) == 0) {
      const std::size_t plot = stream_.below(members_.size());
      random_plot(plot);
      for (const Index i : members_[plot]) random_row(i);
    }
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
    if (any_gain) return improved;
    for (std::size_t b = 0; b < members_.size(); ++b) improved |= improve_plot(b, step);
    if (q_.repeats.size() > 0) improved |= move_repeats();
    return improved;
  }

  double least_gain(bool any_gain) const {
    if (!weighted()) return 1e-8;
    return (any_gain ? 1e-14 : 1e-9) * (several() ? 1 : std::abs(value()));
  }

  /// Exchanges row i for the best that its neighbours offer.
  bool improve(Index i, double step, bool any_gain) {
    for (ExchangedModel& m : models_) m.begin(i);
    now_ = no_change();
    point_ = natural_.row(i).transpose();
    code_ = coded_.col(i);
    if (use_list_ && step == 0 && !in_plots()) try_list();
    if (q_.candidates.rows() == 0)
      for (int round = 0; round < 3; ++round) {
        bool changed = false;
        for (Index j = 0; j < d_; ++j)
          if (!is_hard_[std::size_t(j)]) changed |= move(j, step);
        if (!changed) break;
      }
    if (!(now_ - no_change() > least_gain(any_gain))) return false;
    for (ExchangedModel& m : models_) m.commit(i);
    natural_.row(i) = point_.transpose();
    coded_.col(i) = code_;
    return true;
  }

  /// Tries values of coordinate j: the fixed ones, or both ways by `step`.
  bool move(Index j, double step) {
    const Alternatives& a = alternatives_[std::size_t(j)];
    std::array<double, 2> natural{}, coded{};
    const double *naturals = a.natural.data(), *codes = a.coded.data();
    auto count = Index(a.coded.size());
    const std::vector<Eigen::MatrixXd>* factors = &factors_[std::size_t(j)];
    if (step > 0) {
      if (!a.fine) return false;
      count = 2;
      for (std::size_t k = 0; k < 2; ++k) {
        natural[k] = stepped(j, k == 0 ? -step : step);
        coded[k] = q_.space.coded(j, natural[k]);
      }
      naturals = natural.data();
      codes = coded.data();
      stepped_.clear();
      for (const ExchangedModel& m : models_)
        stepped_.push_back(factors_of(m.rows(), j, {coded[0], coded[1]}));
      factors = &stepped_;
    }
    need_scores(count);
    for (std::size_t m = 0; m < models_.size(); ++m)
      models_[m].try_values(j, code_.data(), (*factors)[m], scores_[m].data());
    combine(count);
    double best = now_ + 1e-12 * (1 + std::abs(now_));
    Index chosen = -1;
    for (Index k = 0; k < count; ++k)
      if (scores_[0][std::size_t(k)] > best && naturals[k] != point_[j] && allowed(j, naturals[k])) {
        best = scores_[0][std::size_t(k)];
        chosen = k;
      }
    if (chosen < 0) return false;
    for (std::size_t m = 0; m < models_.size(); ++m)
      models_[m].take(j, code_.data(), (*factors)[m].col(chosen).data());
    now_ = best;
    code_[j] = codes[chosen];
    point_[j] = naturals[chosen];
    return true;
  }
  /// The value this way from where coordinate j is, or the last allowed one.
  double stepped(Index j, double way) {
    const Parameter& p = q_.space[j];
    double natural = p.snap(q_.space.natural(j, std::clamp(code_[j] + way, -1.0, 1.0)));
    if (allowed(j, natural) || p.is_discrete()) return natural;
    double inside = point_[j], beyond = natural;
    for (int k = 0; k < 30; ++k) {
      const double middle = 0.5 * (inside + beyond);
      (allowed(j, middle) ? inside : beyond) = middle;
    }
    return inside;
  }

  bool allowed(Index j, double natural) {
    if (q_.space.limits().empty()) return true;
    const double was = point_[j];
    point_[j] = natural;
    const bool ok = q_.space.allows(point_);
    point_[j] = was;
    return ok;
  }

  /// Whole rows from the list.
  void try_list() {
    const Index count = list_->rows();
    need_scores(count);
    for (std::size_t m = 0; m < models_.size(); ++m) models_[m].try_list(scores_[m].data());
    combine(count);
    Index best = -1;
    double best_value = now_ + 1e-12 * (1 + std::abs(now_));
    for (Index k = 0; k < count; ++k)
      if (scores_[0][std::size_t(k)] > best_value) {
        best_value = scores_[0][std::size_t(k)];
        best = k;
      }
    if (best < 0) return;
    for (ExchangedModel& m : models_) m.take_listed(best);
    now_ = best_value;
    point_ = list_->row(best).transpose();
    for (Index j = 0; j < d_; ++j) code_[j] = q_.space.coded(j, point_[j]);
  }

  /// Other hard values for all rows of a plot, one parameter at a time.
  bool improve_plot(std::size_t plot, double step) {
    const std::vector<Index>& rows = members_[plot];
    bool improved = false;
    for (const Index j : q_.hard) {
      const Alternatives& a = alternatives_[std::size_t(j)];
      if (step > 0 && !a.fine) continue;
      if (!refresh(0)) return improved;
      const double was = natural_(rows[0], j), now = value();
      std::vector<double> values = a.natural;
      if (step > 0) {
        values.clear();
        for (const double way : {-step, step})
          values.push_back(
              q_.space[j].snap(q_.space.natural(j, std::clamp(coded_(j, rows[0]) + way, -1.0, 1.0))));
      }
      double best = now + std::max(tolerance(), 1e-9 * std::abs(now)), chosen = was;
      for (const double v : values) {
        if (v == was || !allowed_in(rows, j, v)) continue;
        const double value = value_with(plot, j, v);
        if (value > best) best = value, chosen = v;
      }
      if (chosen == was) continue;
      for (const Index i : rows) {
        Eigen::VectorXd point = natural_.row(i);
        point[j] = chosen;
        set_row(i, point);
      }
      improved = true;
    }
    if (improved) refresh(0);
    return improved;
  }
  bool allowed_in(const std::vector<Index>& rows, Index j, double natural) {
    return std::all_of(rows.begin(), rows.end(), [&](Index i) {
      point_ = natural_.row(i).transpose();
      return allowed(j, natural);
    });
  }
  /// value() if coordinate j of a plot were that.
  double value_with(std::size_t plot, Index j, double natural) {
    const double coded = q_.space.coded(j, natural);
    double sum = 0;
    for (const ExchangedModel& m : models_) {
      Eigen::MatrixXd changed(m.state().x.rows(), Index(members_[plot].size()));
      for (Index k = 0; k < changed.cols(); ++k) {
        code_ = coded_.col(members_[plot][std::size_t(k)]);
        code_[j] = coded;
        changed.col(k) = m.row_at(members_[plot][std::size_t(k)], code_.data());
      }
      const double value = m.value_with_plot(Index(plot), changed);
      if (!std::isfinite(value)) return -std::numeric_limits<double>::infinity();
      if (!several()) return value;
      sum += part(m, value);
    }
    return sum / double(models_.size());
  }

  /// Gives repeats to other rows as long as that helps.
  bool move_repeats() {
    bool improved = false;
    need_scores(n_);
    for (Index i = 0; i < n_; ++i) {
      if (runs_[i] < 2) continue;
      for (std::size_t m = 0; m < models_.size(); ++m)
        for (Index k = 0; k < n_; ++k)
          scores_[m][std::size_t(k)] = k == i ? no_change() : models_[m].try_run_moved(i, k);
      combine(n_);
      Index best = -1;
      double best_value = no_change() + least_gain(false);
      for (Index k = 0; k < n_; ++k)
        if (k != i && group_of(k) == group_of(i) && scores_[0][std::size_t(k)] > best_value) {
          best_value = scores_[0][std::size_t(k)];
          best = k;
        }
      if (best < 0) continue;
      --runs_[i], ++runs_[best];
      for (const Index k : {i, best}) set_row(k, natural_.row(k).transpose());
      if (!refresh(0)) return improved;
      improved = true;
    }
    return improved;
  }

  bool use_list_, fine_ = false;
  std::vector<bool> is_hard_;
  std::vector<Eigen::MatrixXd> stepped_;  // factors of each model
  Eigen::VectorXd point_, code_;          // of the row under exchange
  double now_ = 0;
};

}  // namespace

ExchangeResult exchange(const ExchangeProblem& problem, int rounds, Stream& stream,
                        const ExchangeResult& start) {
  return Search(problem, stream).run(rounds, start);
}

}  // namespace renth
