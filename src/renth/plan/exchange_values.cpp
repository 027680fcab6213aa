#include <algorithm>
#include <renth/plan/exchange_values.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;
constexpr int few_values = 12;  // a parameter with no more settable values has all of them tried

}  // namespace

Alternatives alternatives_of(const Space& space, Index j, const std::vector<ExchangeModel>& models) {
  const Parameter& p = space[j];
  Alternatives out;
  const int count = p.settable_count();
  if (p.is_discrete() && count <= few_values) {
    for (int i = 0; i < count; ++i) out.natural.push_back(p.settable(i));
  } else {
    int degree = 1;
    for (const ExchangeModel& m : models)
      for (const Term& t : m.terms)
        for (const Factor& f : t.factors)
          if (f.parameter == j) degree = std::max(degree, f.power);
    for (int i = 0; i <= 2 * degree; ++i)
      out.natural.push_back(p.snap(space.natural(j, -1 + double(i) / degree)));
    out.fine = true;
  }
  for (const double v : out.natural) out.coded.push_back(space.coded(j, v));
  return out;
}

Eigen::MatrixXd factors_of(const TermRows& rows, Index j, const std::vector<double>& coded) {
  Eigen::MatrixXd out(Index(rows.with(j).size()), Index(coded.size()));
  for (std::size_t k = 0; k < coded.size(); ++k) rows.factors(j, coded[k], out.col(Index(k)).data());
  return out;
}

}  // namespace renth
