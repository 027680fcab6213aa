#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/even_exchange.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/space/region.hpp>

namespace renth {
namespace {

/// The n values of one column in ascending order: stratum middles, by the region's marginal.
Eigen::VectorXd column_values(const Space& space, Eigen::Index j, int n, const Eigen::MatrixXd& sample) {
  Eigen::VectorXd values(n);
  if (sample.rows() == 0) {
    for (int i = 0; i < n; ++i) values[i] = space.from_unit(j, (i + 0.5) / n, true);
    return values;
  }
  std::vector<double> sorted(sample.rows());
  Eigen::VectorXd::Map(sorted.data(), sample.rows()) = sample.col(j);
  std::sort(sorted.begin(), sorted.end());
  const auto size = static_cast<double>(sorted.size());
  for (int i = 0; i < n; ++i) values[i] = sorted[static_cast<std::size_t>((i + 0.5) / n * size)];
  return values;
}

/// Exchanges tried from each start. For distances of numbers enough to be within two per cent of the best
/// that are known, four in ten parameters, as far as ten seconds allow, and fewer of large plans, whose
/// nearest pair hardly tells how even they are; less where limits or choices make the best unknown anyway.
/// One costs about 2n look-ups.
std::int64_t moves_for(Eigen::Index n, Eigen::Index d, bool numbers, bool distance, double effort) {
  if (n > 5000) return 0;  // the table of distances would not fit
  constexpr double large = 120;
  double each = 60, all = 5e7, least = 5e4;
  if (numbers) {
    each = n <= 30 ? 1200 : distance ? 1600 : 400;
    all = distance ? 1e9 * std::min(1.0, large / double(n)) : 2.5e8;
    least = 2e4;
  }
  const double wanted = each * double(n) * double(n * d), most = all / double(n);
  return std::int64_t(effort * std::clamp(wanted, least, std::max(least, most)));
}

}  // namespace

std::string_view name(LatinHypercubeOptions::Criterion criterion) {
  constexpr std::string_view names[] = {"maximin", "discrepancy", "projection", "none"};
  return names[int(criterion)];
}

LatinHypercubeOptions::Criterion parse_evenness(std::string_view text) {
  using C = LatinHypercubeOptions::Criterion;
  for (const C c : {C::maximin, C::discrepancy, C::projection, C::none})
    if (text == name(c)) return c;
  refuse_unknown("criterion", text, "plan latin-hypercube `criterion`",
                 {"maximin", "discrepancy", "projection", "none"});
}

Plan latin_hypercube(const Space& space, const LatinHypercubeOptions& options, Seed seed) {
  const int n = options.runs > 0 ? options.runs : suggested_runs(space);
  if (n < 2)
    throw Error("a Latin hypercube needs at least two runs", "plan latin-hypercube", "use `runs=2` or more");
  const bool limited = !space.limits().empty();
  const Eigen::MatrixXd sample = limited ? sample_region(space, std::max(4000, 20 * n), Values::settable,
                                                         seed, "latin hypercube marginals")
                                         : Eigen::MatrixXd();
  Stream stream(seed, "latin hypercube");
  Eigen::MatrixXd points(n, space.size());
  for (Eigen::Index j = 0; j < space.size(); ++j) {
    const Eigen::VectorXd values = column_values(space, j, n, sample);
    const std::vector<int> order = stream.permutation(n);
    for (int i = 0; i < n; ++i) points(i, j) = values[order[i]];
  }
  using Criterion = LatinHypercubeOptions::Criterion;
  const bool plain = options.criterion == Criterion::none;
  const bool numbers = !limited && std::none_of(space.parameters().begin(), space.parameters().end(),
                                                [](const Parameter& p) { return p.is_choice(); });
  const int forbidden = exchange_to_even(
      space, points, 0, evening_of(options.criterion),
      plain ? 0
            : moves_for(n, space.size(), numbers, options.criterion == Criterion::maximin, options.effort),
      seed, "latin hypercube exchange");

  std::vector<std::string> notes;
  if (forbidden > 0) {
    const Eigen::MatrixXd instead =
        sample_region(space, n, Values::settable, seed, "latin hypercube replacements");
    int replaced = 0;
    for (Eigen::Index i = 0; i < n; ++i)
      if (!space.allows(points.row(i).transpose())) points.row(i) = instead.row(replaced++);
    notes.push_back(
        fmt::format("{} of {} rows could not be made to obey the limits by exchanging values and are random "
                    "points of the region instead: spread would suit this region better",
                    replaced, n));
  }
  if (n > 5000 && !plain) notes.push_back("beyond 5000 runs the rows are not searched for evenness");
  Plan plan = make_plan(std::move(points), "fill", "latin-hypercube", seed);
  plan.options = {{"runs", std::to_string(n)},
                  {"criterion", std::string(name(options.criterion))},
                  {"effort", fmt::format("{:g}", options.effort)}};
  plan.next = n;
  plan.notes = std::move(notes);
  return plan;
}

}  // namespace renth
