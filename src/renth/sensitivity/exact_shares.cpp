#include <cmath>
#include <limits>
#include <numbers>
#include <numeric>
#include <renth/sensitivity/exact_shares.hpp>
#include <renth/space/features.hpp>
#include <renth/surrogate/blend.hpp>
#include <renth/surrogate/chaos.hpp>
#include <renth/surrogate/kriging.hpp>
#include <renth/surrogate/kriging_ensemble.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <renth/surrogate/reduced.hpp>
#include <renth/surrogate/rescaled.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// Places and weights of a mean over one parameter, natural values.
struct Nodes {
  Eigen::VectorXd x, weight;
};

/// Gauss–Legendre on (−1, 1), weights that add up to 1, by Newton's method on Legendre's recurrence.
Nodes gauss_legendre(int n) {
  Nodes out{Eigen::VectorXd(n), Eigen::VectorXd(n)};
  for (int i = 0; i < n; ++i) {
    double x = std::cos(std::numbers::pi * (i + 0.75) / (n + 0.5)), slope = 1;
    for (int step = 0; step < 100; ++step) {
      double p = 1, before = 0;
      for (int k = 1; k <= n; ++k) {
        const double next = ((2 * k - 1) * x * p - (k - 1) * before) / k;
        before = p;
        p = next;
      }
      slope = n * (x * p - before) / (x * x - 1);
      const double move = p / slope;
      x -= move;
      if (std::abs(move) < 1e-15) break;
    }
    out.x[i] = x;
    out.weight[i] = 1 / ((1 - x * x) * slope * slope);
  }
  return out;
}

Nodes nodes_of(const Parameter& p) {
  if (p.is_between()) {
    static const Nodes unit = gauss_legendre(48);
    return {(0.5 * (p.low + p.high) + 0.5 * (p.high - p.low) * unit.x.array()).matrix(), unit.weight};
  }
  const int count = p.settable_count();
  Nodes out{Eigen::VectorXd(count), Eigen::VectorXd::Constant(count, 1.0 / count)};
  for (int i = 0; i < count; ++i) out.x[i] = p.settable(i);
  return out;
}

/// A sum of products by the values of its factors at the nodes.
class Sum {
 public:
  explicit Sum(const Space& space) : space_(space) {
    for (const Parameter& p : space.parameters()) nodes_.push_back(nodes_of(p));
  }

  /// Takes a surrogate in, times `scale`; its parameter k is number `place[k]` here. \returns  is it such a
  /// sum?
  bool add(const Surrogate& s, double scale, const std::vector<Index>& place) {
    if (const auto* r = dynamic_cast<const Rescaled*>(&s)) return add(*r->inner(), scale, place);
    if (const auto* r = dynamic_cast<const Reduced*>(&s)) {
      std::vector<Index> inner;
      for (const Index k : r->kept()) inner.push_back(place[std::size_t(k)]);
      return add(r->inner(), scale, inner);
    }
    if (const auto* b = dynamic_cast<const Blend*>(&s)) {
      for (std::size_t k = 0; k < b->members().size(); ++k)
        if (!add(*b->members()[k], scale * b->weights()[Index(k)], place)) return false;
      return true;
    }
    if (const auto* p = polynomial_of(s)) {
      if (!p->state().transform.none()) return false;
      add_terms(p->state().space, p->state().terms, p->state().beta, scale, place);
      return true;
    }
    if (const auto* c = dynamic_cast<const Chaos*>(&s)) {
      add_chaos(c->state(), scale, place);
      return true;
    }
    if (const auto* k = dynamic_cast<const Kriging*>(&s))
      return add_kriging(k->state(), k->state().runs, k->state().weights, scale, place);
    if (const auto* e = dynamic_cast<const KrigingEnsemble*>(&s)) {
      const auto& mode = e->state().modes.front();
      return add_kriging(mode, scaled(mode.space, mode.theta, e->state().features), mode.weights, scale,
                         place);
    }
    return false;
  }

  std::optional<VarianceShares> shares() const;

 private:
  Index terms() const { return Index(c_.size()); }

  /// Of a new term all factors are 1 until they are set.
  void begin(double coefficient) {
    c_.push_back(coefficient);
    factors_.emplace_back(std::size_t(space_.size()));
  }
  void set(Index j, Eigen::VectorXd values) { factors_.back()[std::size_t(j)] = std::move(values); }

  /// Points of a surrogate's own space in which one parameter goes through its nodes.
  Eigen::MatrixXd through(const Space& own, Index k, Index j) const {
    Eigen::MatrixXd out = own.nominal().transpose().replicate(nodes_[std::size_t(j)].x.size(), 1);
    out.col(k) = nodes_[std::size_t(j)].x;
    return out;
  }

  void add_terms(const Space& own, const Terms& terms, const Eigen::VectorXd& beta, double scale,
                 const std::vector<Index>& place) {
    for (std::size_t t = 0; t < terms.size(); ++t) {
      begin(scale * beta[Index(t)]);
      for (const Factor& f : terms[t].factors) {
        const Index j = place[std::size_t(f.parameter)];
        set(j, model_matrix(own, {Term{{f}}}, through(own, f.parameter, j)).col(0));
      }
    }
  }

  void add_chaos(const Chaos::State& s, double scale, const std::vector<Index>& place) {
    for (std::size_t t = 0; t < s.terms.size(); ++t) {
      begin(scale * s.beta[Index(t)]);
      for (const ChaosTerm::Factor& f : s.terms[t].factors) {
        const Index j = place[std::size_t(f.parameter)];
        set(j, chaos_matrix(s.space, {ChaosTerm{{f}}}, through(s.space, f.parameter, j)).col(0));
      }
    }
  }

  /// \param runs  n × f, scaled.
  bool add_kriging(const Process& s, const Eigen::MatrixXd& runs, const Eigen::VectorXd& weights,
                   double scale, const std::vector<Index>& place) {
    if (s.kernel != Kernel::gaussian && s.kernel != Kernel::product52) return false;
    const Index n = runs.rows();
    if (n * n * space_.size() > most_numbers) return false;
    begin(scale * s.centre);
    add_terms(s.space, s.trend, s.beta, scale, place);
    const std::vector<int> owner = feature_parameters(s.space);
    std::vector<Eigen::MatrixXd> at(std::size_t(s.space.size()));  // n × nodes
    for (Index k = 0; k < s.space.size(); ++k) {
      std::vector<Index> own;
      for (std::size_t f = 0; f < owner.size(); ++f)
        if (owner[f] == k) own.push_back(Index(f));
      const Eigen::MatrixXd mine = runs(Eigen::all, own),
                            points =
                                scaled_features(s.space, s.theta, through(s.space, k, place[std::size_t(k)]));
      Eigen::MatrixXd& out = at[std::size_t(k)];
      out.resize(n, points.rows());
      for (Index i = 0; i < points.rows(); ++i) {
        const Eigen::VectorXd point = points(i, own).transpose();
        kernels::correlations(s.kernel, point.data(), mine.data(), std::size_t(n), own.size(), std::size_t(n),
                              out.col(i).data());
      }
    }
    for (Index r = 0; r < n; ++r) {
      begin(scale * weights[r]);
      for (Index k = 0; k < s.space.size(); ++k)
        set(place[std::size_t(k)], at[std::size_t(k)].row(r).transpose());
    }
    return true;
  }

  static constexpr Index most_numbers = 10'000'000;
  const Space& space_;
  std::vector<Nodes> nodes_;
  std::vector<double> c_;
  std::vector<std::vector<Eigen::VectorXd>> factors_;  // of each term and parameter; empty: 1 everywhere
};

std::optional<VarianceShares> Sum::shares() const {
  const Index p = terms(), d = space_.size();
  if (p * p * d > most_numbers) return {};
  const Eigen::VectorXd c = Eigen::Map<const Eigen::VectorXd>(c_.data(), p);
  std::vector<Eigen::MatrixXd> centred;  // terms × nodes, less the mean of each
  Eigen::MatrixXd mean(p, d);
  for (Index j = 0; j < d; ++j) {
    const Eigen::VectorXd& w = nodes_[std::size_t(j)].weight;
    Eigen::MatrixXd g = Eigen::MatrixXd::Ones(p, w.size());
    for (Index t = 0; t < p; ++t)
      if (const Eigen::VectorXd& f = factors_[std::size_t(t)][std::size_t(j)]; f.size() > 0)
        g.row(t) = f.transpose();
    mean.col(j) = g * w;
    g.colwise() -= mean.col(j);
    centred.push_back(std::move(g));
  }
  const auto others = [&](Index i, Index j) {  // c times the means of all but these
    Eigen::VectorXd out = c;
    for (Index k = 0; k < d; ++k)
      if (k != i && k != j) out.array() *= mean.col(k).array();
    return out;
  };
  VarianceShares out;
  out.parameters.resize(std::size_t(d));
  out.pairs = Eigen::MatrixXd::Zero(d, d);
  out.along = Eigen::MatrixXd::Zero(d, 0);

  // Products of second moments from the left and the right, so that each can be left out.
  std::vector<Eigen::MatrixXd> cov, right(std::size_t(d) + 1, Eigen::MatrixXd::Ones(p, p));
  for (Index j = 0; j < d; ++j) {
    const Eigen::MatrixXd& g = centred[std::size_t(j)];
    cov.emplace_back(g * nodes_[std::size_t(j)].weight.asDiagonal() * g.transpose());
  }
  const auto moment = [&](Index j) {
    return Eigen::MatrixXd(cov[std::size_t(j)] + mean.col(j) * mean.col(j).transpose());
  };
  for (Index j = d - 1; j >= 0; --j)
    right[std::size_t(j)] = right[std::size_t(j) + 1].cwiseProduct(moment(j));
  Eigen::MatrixXd left = Eigen::MatrixXd::Ones(p, p);
  Eigen::VectorXd total(d);
  double variance = 0;
  // Var = Σ_j of what the first j parameters add: c'(Π_{k<j} m m' ∘ C_j ∘ Π_{k>j} E)c, all of one sign.
  Eigen::VectorXd passed = c;
  for (Index j = 0; j < d; ++j) {
    total[j] = c.dot(left.cwiseProduct(cov[std::size_t(j)]).cwiseProduct(right[std::size_t(j) + 1]) * c);
    variance += passed.dot(cov[std::size_t(j)].cwiseProduct(right[std::size_t(j) + 1]) * passed);
    passed.array() *= mean.col(j).array();
    left = left.cwiseProduct(moment(j));
  }
  // Coefficients that cancel leave rounding of this size, of errors as likely up as down.
  const double rounding = std::numeric_limits<double>::epsilon() * std::sqrt(double(p)) * c.squaredNorm();
  if (variance > 0 && !(rounding < 1e-4 * variance)) return {};
  out.variance = std::max(0.0, variance);
  if (!(variance > 0)) return out;
  for (Index j = 0; j < d; ++j) {
    const Eigen::VectorXd effect = centred[std::size_t(j)].transpose() * others(j, j);
    Share& s = out.parameters[std::size_t(j)];
    s.share = s.first = nodes_[std::size_t(j)].weight.dot(effect.cwiseAbs2()) / variance;
    s.total = std::max(s.first, total[j] / variance);
  }
  for (Index i = 0; i < d; ++i)
    for (Index j = i + 1; j < d; ++j) {
      const Eigen::MatrixXd effect =
          centred[std::size_t(i)].transpose() * others(i, j).asDiagonal() * centred[std::size_t(j)];
      out.pairs(i, j) =
          nodes_[std::size_t(i)].weight.dot(effect.cwiseAbs2() * nodes_[std::size_t(j)].weight) / variance;
    }
  return out;
}

}  // namespace

std::optional<VarianceShares> exact_shares(const Space& space, const Surrogate& surrogate) {
  Sum sum(space);
  std::vector<Index> place(std::size_t(space.size()));
  std::iota(place.begin(), place.end(), Index{0});
  if (!sum.add(surrogate, 1, place)) return {};
  return sum.shares();
}

}  // namespace renth
