#include <algorithm>
#include <renth/terms/contrast_values.hpp>

namespace renth {

std::vector<std::pair<std::string, std::vector<std::pair<std::string, double>>>> contrast_values(
    const Space& space, const Terms& terms) {
  std::vector<std::pair<std::string, std::vector<std::pair<std::string, double>>>> out;
  for (const Term& t : terms)
    for (const Factor& f : t.factors) {
      if (f.choice == 0) continue;
      const std::string contrast = name(space, Term{{f}});
      if (std::any_of(out.begin(), out.end(), [&](const auto& o) { return o.first == contrast; })) continue;
      const Parameter& p = space[f.parameter];
      const Eigen::MatrixXd table = contrasts(int(p.choices.size()));
      std::vector<std::pair<std::string, double>> values;
      for (std::size_t c = 0; c < p.choices.size(); ++c)
        values.emplace_back(p.choices[c], table(Eigen::Index(c), f.choice - 1));
      out.emplace_back(contrast, values);
    }
  return out;
}

}  // namespace renth
