#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>
#include <renth/base/error.hpp>
#include <renth/fit/blocks.hpp>
#include <renth/fit/chaos_fit.hpp>
#include <renth/fit/least_angles.hpp>
#include <renth/fit/replicates.hpp>
#include <renth/fit/standardise.hpp>
#include <renth/numeric/dense.hpp>
#include <renth/numeric/random.hpp>
#include <renth/surrogate/chaos.hpp>
#include <renth/surrogate/data.hpp>

namespace renth {
namespace {

/// How many polynomials of one parameter the runs can carry.
int most_power(const Space& space, const Data& data, Eigen::Index j) {
  if (space[j].is_choice()) return 1;
  std::vector<double> seen(data.inputs.col(j).data(), data.inputs.col(j).data() + data.size());
  std::sort(seen.begin(), seen.end());
  return int(std::unique(seen.begin(), seen.end()) - seen.begin()) - 1;
}

/// All terms with Σ α^q ≤ p^q, the constant left out; nothing if there are more than `most`.
class Candidates {
 public:
  Candidates(const Space& space, const Data& data, std::size_t most) : space_(space), most_(most) {
    for (Eigen::Index j = 0; j < space.size(); ++j) powers_.push_back(most_power(space, data, j));
  }
  std::optional<std::vector<ChaosTerm>> of(int degree, double norm) {
    terms_.clear();
    norm_ = norm;
    const bool complete = extend({}, 0, std::pow(double(degree), norm) * (1 + 1e-12));
    return complete ? std::optional(terms_) : std::nullopt;
  }

 private:
  bool extend(const ChaosTerm& term, Eigen::Index from, double left) {
    for (Eigen::Index j = from; j < space_.size(); ++j) {
      const int contrasts = space_[j].is_choice() ? int(space_[j].choices.size()) - 1 : 0;
      for (int power = 1; power <= powers_[std::size_t(j)]; ++power) {
        const double rest = left - std::pow(double(power), norm_);
        if (rest < 0) break;
        for (int k = 0; k < std::max(1, contrasts); ++k) {
          ChaosTerm next = term;
          next.factors.push_back({int(j), contrasts > 0 ? k + 1 : power});
          terms_.push_back(next);
          if (terms_.size() > most_ || !extend(next, j + 1, rest)) return false;
        }
      }
    }
    return true;
  }
  const Space& space_;
  std::size_t most_;
  std::vector<int> powers_;
  std::vector<ChaosTerm> terms_;
  double norm_ = 1;
};

struct Choice {
  double error = std::numeric_limits<double>::infinity();
  std::vector<ChaosTerm> terms;
  int degree = 0;
  double norm = 1;
};

}  // namespace

Fit chaos_fit(ChaosOptions options) {
  return without_blocks(
      [options](const Space& space, const Data& data, Seed) -> std::unique_ptr<const Surrogate> {
        check_data(space, data);
        const auto [centre, spread, z] = standardise(data, "chaos");
        if (group_count(replicate_groups(data)) < 4)
          throw Error("sparse chaos needs at least four different runs", "fit chaos", "add runs");

        const auto n = double(data.size());
        const double room = std::max(4.0 * double(space.size()), 6e6 / n);  // columns that memory carries
        Candidates candidates(space, data, std::size_t(std::min<double>(options.most_candidates, room)));
        const int most = std::min<int>(int(n) - 2, 400);
        Choice best;
        for (const double norm : options.norms) {
          double before = std::numeric_limits<double>::infinity();
          int worse = 0;
          std::size_t had = 0;
          for (int degree = options.least_degree; degree <= options.most_degree && worse < 2; ++degree) {
            const auto terms = candidates.of(degree, norm);
            if (!terms) break;
            if (terms->size() == had) continue;  // what the runs carry is in already
            had = terms->size();
            const LeastAnglePath path = least_angles(chaos_matrix(space, *terms, data.inputs), z, most);
            const std::size_t k = path.best();
            if (path.error[k] < best.error) {
              best = {path.error[k], {ChaosTerm{}}, degree, norm};
              for (std::size_t i = 0; i < k; ++i) best.terms.push_back((*terms)[std::size_t(path.order[i])]);
            }
            worse = path.error[k] < before ? 0 : worse + 1;
            before = std::min(before, path.error[k]);
          }
        }
        if (!std::isfinite(best.error)) throw Error("the runs carry no term", "fit chaos", "add runs");
        Chaos::State s;
        s.space = Space(space.parameters());
        s.terms = best.terms;
        const Eigen::MatrixXd psi = chaos_matrix(space, best.terms, data.inputs);
        const auto p = psi.cols();
        const QrFactor qr(psi);
        s.beta = qr.solve(z) * spread;
        s.beta[0] += centre;
        s.factor = qr.inverse_triangle();
        // The corrected error is of a run that was not used: left over, times 1 + h on average.
        s.variance = best.error * spread * spread / (1 + double(p) / n);
        s.noisy = data.noisy;
        s.degrees_of_freedom = n - double(p);
        s.degree = best.degree;
        s.norm = best.norm;
        return std::make_unique<Chaos>(std::move(s));
      });
}

}  // namespace renth
