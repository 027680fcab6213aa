#include <algorithm>
#include <cmath>
#include <renth/plan/exchanged_rows.hpp>

namespace renth {

using Index = Eigen::Index;

ExchangedRows::ExchangedRows(const ExchangeProblem& problem, Stream& stream)
    : q_(problem), stream_(stream), n_(q_.rows), d_(q_.space.size()) {
  for (const ExchangeModel& m : q_.models) models_.emplace_back(q_, m);
  for (Index j = 0; j < d_; ++j) {
    alternatives_.push_back(alternatives_of(q_.space, j, q_.models));
    factors_.emplace_back();
    for (const ExchangedModel& m : models_)
      factors_.back().push_back(factors_of(m.rows(), j, alternatives_.back().coded));
  }
  list_ = q_.candidates.rows() > 0 ? &q_.candidates : &q_.pool;
  if (q_.plot.size() > 0) {
    members_.resize(std::size_t(q_.plot.maxCoeff()) + 1);
    for (Index i = 0; i < n_; ++i) members_[std::size_t(q_.plot[i])].push_back(i);
  }
  if (list_->rows() > 0 && !in_plots())
    for (ExchangedModel& m : models_) m.set_list(*list_);
}

double ExchangedRows::part(const ExchangedModel& model, double value) const {
  return weighted() ? -std::log(-value) : value / double(model.terms());
}

double ExchangedRows::value() const {
  if (!several()) return models_[0].value();
  double sum = 0;
  for (const ExchangedModel& m : models_) sum += part(m, m.value());
  return sum / double(models_.size());
}

void ExchangedRows::combine(Index count) {
  if (!several()) return;
  for (Index k = 0; k < count; ++k) {
    double sum = 0;
    for (std::size_t m = 0; m < models_.size(); ++m) {
      const double s = scores_[m][std::size_t(k)],
                   left = weighted() ? 1 - s / models_[m].trace() : s;  // of the trace, or of the determinant
      sum += left > 0 ? (weighted() ? -std::log(left) : std::log(left) / double(models_[m].terms())) : -1e300;
    }
    scores_[0][std::size_t(k)] = sum / double(models_.size());
  }
}

void ExchangedRows::need_scores(Index count) {
  scores_.resize(models_.size());
  for (auto& s : scores_)
    if (Index(s.size()) < count) s.resize(std::size_t(count));
}

void ExchangedRows::start(const ExchangeResult& from) {
  natural_.resize(n_, d_);
  coded_.resize(d_, n_);
  runs_.setOnes(n_);
  if (!from.found) random_repeats();
  if (from.found) {
    natural_ = from.points;
    runs_ = from.runs;
    for (Index i = 0; i < n_; ++i) set_row(i, natural_.row(i).transpose());
  } else {
    for (std::size_t b = 0; b < members_.size(); ++b) random_plot(b);
    for (Index i = 0; i < n_; ++i) random_row(i);
  }
  refresh(ridge);
}

void ExchangedRows::random_repeats() {
  for (Index g = 0; g < q_.repeats.size(); ++g) {
    std::vector<Index> rows;
    for (Index i = 0; i < n_; ++i)
      if (group_of(i) == g) rows.push_back(i);
    for (int k = 0; k < q_.repeats[g]; ++k) ++runs_[rows[stream_.below(rows.size())]];
  }
}

void ExchangedRows::set_row(Index i, const Eigen::VectorXd& point) {
  natural_.row(i) = point;
  for (Index j = 0; j < d_; ++j) coded_(j, i) = q_.space.coded(j, point[j]);
  for (ExchangedModel& m : models_) m.set_row(i, coded_.col(i).data(), runs_[i]);
}

Eigen::VectorXd ExchangedRows::random_point() {
  if (list_->rows() > 0) return list_->row(Index(stream_.below(std::uint64_t(list_->rows()))));
  Eigen::VectorXd point(d_);
  for (Index j = 0; j < d_; ++j) {
    const Alternatives& a = alternatives_[std::size_t(j)];
    point[j] = a.fine && stream_.below(2) == 0 ? q_.space.from_unit(j, stream_.uniform(), true)
                                               : a.natural[stream_.below(a.natural.size())];
  }
  return point;
}

void ExchangedRows::random_row(Index i) {
  if (!in_plots()) return set_row(i, random_point());
  for (int attempt = 0; attempt < 50; ++attempt) {
    Eigen::VectorXd point = random_point();
    for (const Index j : q_.hard) point[j] = natural_(i, j);
    if (!q_.space.limits().empty() && !q_.space.allows(point)) continue;
    return set_row(i, point);
  }
  set_row(i, natural_.row(i).transpose());
}

void ExchangedRows::random_plot(std::size_t plot) {
  const Eigen::VectorXd point = random_point();
  for (const Index i : members_[plot]) set_row(i, point);
}

bool ExchangedRows::refresh(double ridge_size) {
  invertible_ = true;
  for (ExchangedModel& m : models_) invertible_ &= m.refresh(ridge_size);
  return invertible_;
}

void ExchangedRows::keep() {
  best_.natural = natural_;
  best_.coded = coded_;
  best_.runs = runs_;
  best_.models.clear();
  for (const ExchangedModel& m : models_) best_.models.push_back(m.state());
  best_.value = value();
}

void ExchangedRows::restore() {
  natural_ = best_.natural;
  coded_ = best_.coded;
  runs_ = best_.runs;
  for (std::size_t m = 0; m < models_.size(); ++m) models_[m].restore(best_.models[m]);
  invertible_ = true;
}

}  // namespace renth
