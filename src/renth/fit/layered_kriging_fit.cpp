#include <algorithm>
#include <limits>
#include <renth/fit/blocks.hpp>
#include <renth/fit/layered_kriging_fit.hpp>
#include <renth/fit/nearest_kriging_fit.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kriging_ensemble.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// So many runs at random, always among the first of the same order.
Data some_of(const Data& data, Index runs, Seed seed) {
  std::vector<Index> rows;
  for (const int i : Stream(seed, "layers").permutation(int(data.size()))) rows.push_back(i);
  rows.resize(std::size_t(std::min(runs, data.size())));
  std::sort(rows.begin(), rows.end());
  return data.rows(rows);
}

KrigingOptions exact(KrigingOptions options) {
  options.most_dense = std::numeric_limits<int>::max();
  options.draws = 0;
  return options;
}

KrigingOptions from(KrigingOptions options, const Process& process, bool keep) {
  options.kernel = process.kernel;
  options.warm_start = process.warm_start();
  options.keep_lengths = keep;
  return options;
}

/// \param rest  of what the first layer leaves, from that layer's own lengths.
std::unique_ptr<const Surrogate> layers(const Space& space, const Data& data, const KrigingOptions& first,
                                        const std::function<KrigingOptions(const Process&)>& rest,
                                        Seed seed) {
  const Data some = some_of(data, std::min<Index>(layer_runs, data.size() * 3 / 4), seed);
  std::shared_ptr<const Surrogate> base = kriging_fit(exact(first))(space, some, seed);
  Data left = data;
  left.outputs -= predict_in_blocks(*base, data.inputs, {}, parallel_for).mean;
  std::shared_ptr<const Surrogate> local =
      nearest_kriging_fit(rest(*likeliest_process(*base)))(space, left, seed);
  return std::make_unique<Layered>(std::move(base), std::move(local));
}

}  // namespace

Fit layered_kriging_fit(KrigingOptions options) {
  return without_blocks([options](const Space& space, const Data& data, Seed seed) {
    KrigingOptions first = options;
    if (!options.keep_lengths) {
      const Data part = some_of(data, std::min<Index>(layer_runs / 4, data.size() / 4), seed);
      const auto sought = kriging_fit(exact(options))(space, part, seed);
      first = from(options, *likeliest_process(*sought), true);
    }
    return layers(
        space, data, first, [&](const Process& of_base) { return from(options, of_base, false); }, seed);
  });
}

Fit layered_kriging_again(KrigingOptions options, const Layered& whole) {
  const KrigingOptions first = from(options, *likeliest_process(whole.base()), true),
                       rest = from(options, *likeliest_process(whole.rest()), true);
  return without_blocks([first, rest](const Space& space, const Data& data, Seed seed) {
    return layers(
        space, data, first, [&](const Process&) { return rest; }, seed);
  });
}

}  // namespace renth
