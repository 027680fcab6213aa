#include <algorithm>
#include <cmath>
#include <map>
#include <renth/base/error.hpp>
#include <renth/selection/choose.hpp>

namespace renth {

std::string kind_asked(const FitOptions& o, bool weighted) {
  if (o.kind == "best") return "";
  if (!o.kind.empty() && o.kind != "blend") surrogate_kind(o.kind);
  const FitRequest& r = o.request;
  const bool polynomial = !r.terms.empty() || o.choice.any() || !r.transform.none() || weighted;
  const bool kriging = r.kernel || !r.trend.empty() || r.nugget != KrigingOptions::Nugget::when_needed ||
                       r.criterion != KrigingCriterion::likelihood || !r.prior;
  const std::string asked = polynomial ? "polynomial" : kriging ? "kriging" : r.basis ? "rbf" : "";
  const std::string other = polynomial && kriging                ? "kriging"
                            : (polynomial || kriging) && r.basis ? "rbf"
                                                                 : o.kind;
  if (asked.empty()) return o.kind;
  if (other.empty() || other == asked) return asked;
  throw Error(asked == "polynomial" ? "terms, weights and transformations are for polynomials"
              : asked == "kriging"  ? "kernels, trends and nuggets are for kriging"
                                    : "a radial basis is for kind rbf",
              "fit " + other, "fit " + asked + " with them, or leave them out");
}

Contenders contenders(const std::vector<Tried>& tried, std::string_view kind, double q2) {
  std::map<std::string, double> best;  // of the settings of each other kind
  for (const Tried& t : tried)
    if (t.kind != kind && std::isfinite(t.q2))
      best[t.kind] = std::max(best.emplace(t.kind, t.q2).first->second, t.q2);
  Contenders out{tried.size(), {}};
  for (const auto& [other, of_other] : best)
    if (of_other <= q2) out.worse.push_back(other);
  return out;
}

}  // namespace renth
