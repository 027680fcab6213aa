#include <cmath>
#include <map>
#include <renth/space/region.hpp>
#include <renth/terms/moments.hpp>
#include <tuple>

namespace renth {
namespace {

/// E of a product of factors of one parameter: power a of a number, or up to two contrasts.
double mean_of(const Parameter& p, int power, const std::vector<int>& contrast) {
  if (p.is_choice()) {
    const Eigen::MatrixXd table = contrasts(int(p.choices.size()));
    double sum = 0;
    for (Eigen::Index i = 0; i < table.rows(); ++i) {
      double product = 1;
      for (const int k : contrast) product *= table(i, k - 1);
      sum += product;
    }
    return sum / double(table.rows());
  }
  if (p.is_between()) return power % 2 == 1 ? 0.0 : 1.0 / (power + 1);
  double sum = 0;
  for (const double v : p.values) sum += std::pow((2 * v - p.low - p.high) / (p.high - p.low), power);
  return sum / double(p.values.size());
}

Eigen::MatrixXd exact_moments(const Space& space, const Terms& terms) {
  const auto p = Eigen::Index(terms.size());
  Eigen::MatrixXd out(p, p);
  std::map<std::tuple<int, int, std::vector<int>>, double> known;
  for (Eigen::Index a = 0; a < p; ++a)
    for (Eigen::Index b = 0; b <= a; ++b) {
      std::map<int, std::pair<int, std::vector<int>>> joined;  // parameter: power, contrasts
      for (const Eigen::Index t : {a, b})
        for (const Factor& f : terms[std::size_t(t)].factors) {
          auto& [power, contrast] = joined[f.parameter];
          power += f.power;
          if (f.choice > 0) contrast.push_back(f.choice);
        }
      double product = 1;
      for (const auto& [parameter, what] : joined) {
        const auto key = std::make_tuple(parameter, what.first, what.second);
        auto found = known.find(key);
        if (found == known.end())
          found = known.emplace(key, mean_of(space[parameter], what.first, what.second)).first;
        product *= found->second;
      }
      out(a, b) = out(b, a) = product;
    }
  return out;
}

}  // namespace

Eigen::MatrixXd region_moments(const Space& space, const Terms& terms) {
  if (space.limits().empty()) return exact_moments(space, terms);
  constexpr Eigen::Index wanted = 1 << 15, block = 2048;
  const Eigen::MatrixXd points = region_points(space, wanted);
  Eigen::MatrixXd sum = Eigen::MatrixXd::Zero(Eigen::Index(terms.size()), Eigen::Index(terms.size()));
  for (Eigen::Index from = 0; from < points.rows(); from += block) {
    const Eigen::MatrixXd x =
        model_matrix(space, terms, points.middleRows(from, std::min(block, points.rows() - from)));
    sum.noalias() += x.transpose() * x;
  }
  return sum / double(points.rows());
}

}  // namespace renth
