#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <renth/terms/terms.hpp>
#include <tuple>

namespace renth {
namespace {

/// 1, linear, products of two, squares, higher by order.
int rank_of(const Term& term) {
  const int order = term.order();
  if (order <= 1) return order;
  if (order == 2) return term.factors.size() == 2 ? 2 : 3;
  return order + 1;
}

}  // namespace

int Term::order() const {
  int sum = 0;
  for (const Factor& f : factors) sum += f.power;
  return sum;
}

bool canonical_less(const Term& a, const Term& b) {
  const int ra = rank_of(a), rb = rank_of(b);
  return std::tie(ra, a.factors) < std::tie(rb, b.factors);
}

std::string name(const Space& space, const Term& term) {
  if (term.factors.empty()) return "1";
  std::string text;
  for (const Factor& f : term.factors) {
    const Parameter& p = space[f.parameter];
    if (!text.empty()) text += '*';
    text += p.name;
    if (p.is_choice()) text += fmt::format("[{}]", p.choices[static_cast<std::size_t>(f.choice)]);
    if (f.power > 1) text += fmt::format("^{}", f.power);
  }
  return text;
}

std::vector<TermGroup> group_contrasts(const Space& space, const Terms& terms) {
  std::vector<TermGroup> out;
  for (std::size_t t = 0; t < terms.size(); ++t) {
    if (terms[t].factors.empty()) continue;
    std::string text;
    for (const Factor& f : terms[t].factors) {
      text += (text.empty() ? "" : "*") + space[f.parameter].name;
      if (f.power > 1) text += fmt::format("^{}", f.power);
    }
    auto found = std::find_if(out.begin(), out.end(), [&](const TermGroup& g) { return g.name == text; });
    if (found == out.end()) found = out.insert(out.end(), {text, {}});
    found->terms.push_back(t);
  }
  return out;
}

std::string describe(const Space& space, const Terms& terms) {
  std::string text;
  for (const Term& t : terms) text += (text.empty() ? "" : " + ") + name(space, t);
  return text;
}

Eigen::MatrixXd contrasts(int c) {
  Eigen::MatrixXd out(c, c - 1);
  for (int k = 1; k < c; ++k) {
    Eigen::VectorXd v = Eigen::VectorXd::Constant(c, -1.0 / c);
    v[k] += 1;
    for (int j = 0; j + 1 < k; ++j) v -= out.col(j) * (out.col(j).dot(v) / c);
    out.col(k - 1) = v * (std::sqrt(static_cast<double>(c)) / v.norm());
  }
  out = (out.array().abs() < 1e-14).select(0, out);  // nought, not what rounding left of it
  return out;
}

namespace {

/// Values of one factor at all points; `slope`: its derivative by the natural value.
Eigen::VectorXd factor_values(const Space& space, const Factor& f, Points natural, bool slope) {
  const Parameter& p = space[f.parameter];
  const Eigen::Index m = natural.rows();
  Eigen::VectorXd out(m);
  if (p.is_choice()) {
    const Eigen::MatrixXd table = contrasts(static_cast<int>(p.choices.size()));
    for (Eigen::Index i = 0; i < m; ++i)
      out[i] = slope ? 0 : table(static_cast<Eigen::Index>(natural(i, f.parameter)), f.choice - 1);
    return out;
  }
  const double scale = 2 / (p.high - p.low);
  for (Eigen::Index i = 0; i < m; ++i) {
    const double x = space.coded(f.parameter, natural(i, f.parameter));
    double value = slope ? f.power * scale : x;
    for (int k = 1; k < f.power; ++k) value *= x;
    out[i] = value;
  }
  return out;
}

}  // namespace

Eigen::MatrixXd model_matrix(const Space& space, const Terms& terms, Points natural) {
  Eigen::MatrixXd x = Eigen::MatrixXd::Ones(natural.rows(), Eigen::Index(terms.size()));
  std::map<Factor, Eigen::VectorXd> known;
  for (std::size_t t = 0; t < terms.size(); ++t)
    for (const Factor& f : terms[t].factors) {
      auto found = known.find(f);
      if (found == known.end()) found = known.emplace(f, factor_values(space, f, natural, false)).first;
      x.col(Eigen::Index(t)).array() *= found->second.array();
    }
  return x;
}

Eigen::MatrixXd model_matrix_slope(const Space& space, const Terms& terms, Points natural,
                                   Eigen::Index parameter) {
  Eigen::MatrixXd x = Eigen::MatrixXd::Ones(natural.rows(), Eigen::Index(terms.size()));
  for (std::size_t t = 0; t < terms.size(); ++t) {
    bool has = false;
    for (const Factor& f : terms[t].factors) {
      has |= f.parameter == parameter;
      x.col(Eigen::Index(t)).array() *= factor_values(space, f, natural, f.parameter == parameter).array();
    }
    if (!has) x.col(Eigen::Index(t)).setZero();
  }
  return x;
}

NaturalPolynomial expand_natural(const Space& space, const Terms& terms, const Eigen::VectorXd& coded,
                                 const Eigen::VectorXd& tail) {
  const auto less = [](const Term& a, const Term& b) { return canonical_less(a, b); };
  std::map<Term, long double, decltype(less)> sum(less);
  for (std::size_t t = 0; t < terms.size(); ++t) {
    const auto i = static_cast<Eigen::Index>(t);
    std::vector<std::pair<Term, long double>> product = {
        {Term{}, static_cast<long double>(coded[i]) + (tail.size() > 0 ? tail[i] : 0)}};
    for (const Factor& f : terms[t].factors) {
      std::vector<std::pair<Term, long double>> next;
      const Parameter& p = space[f.parameter];
      if (p.is_choice()) {
        for (auto& [term, c] : product) {
          term.factors.push_back(f);
          next.emplace_back(term, c);
        }
      } else {
        // (a·x + b)^power by the binomial theorem.
        const long double width = static_cast<long double>(p.high) - p.low;
        const long double a = 2 / width, b = -(static_cast<long double>(p.high) + p.low) / width;
        for (const auto& [term, c] : product) {
          long double binomial = 1;
          for (int k = f.power; k >= 0; --k) {
            Term grown = term;
            if (k > 0) grown.factors.push_back({f.parameter, k, 0});
            next.emplace_back(grown, c * binomial * std::pow(a, static_cast<long double>(k)) *
                                         std::pow(b, static_cast<long double>(f.power - k)));
            binomial = binomial * k / (f.power - k + 1);
          }
        }
      }
      product = std::move(next);
    }
    for (const auto& [term, c] : product) sum[term] += c;
  }
  NaturalPolynomial out;
  out.coefficients.resize(Eigen::Index(sum.size()));
  for (const auto& [term, c] : sum) {
    out.coefficients[Eigen::Index(out.terms.size())] = static_cast<double>(c);
    out.terms.push_back(term);
  }
  return out;
}

}  // namespace renth
