#include <fmt/format.h>

#include <renth/base/error.hpp>
#include <renth/fit/along_axis.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/surrogate/along.hpp>
#include <renth/surrogate/data.hpp>

namespace renth {

Fit along_axis(std::vector<Fit> fits) {
  return [fits](const Space& space, const Data& data, Seed seed) -> std::unique_ptr<const Surrogate> {
    if (data.outputs.cols() == 1) return fits[0](space, data, seed);
    std::vector<std::shared_ptr<const Surrogate>> members(static_cast<std::size_t>(data.outputs.cols()));
    parallel_for(data.outputs.cols(), [&](std::int64_t k) {
      const Data part = data.with_output(k);
      try {
        members[k] = fits[fits.size() == 1 ? 0 : k](space, part, seed);
      } catch (const Error& e) {
        throw Error(e.problem(), fmt::format("{}, axis point {}", e.place(), k + 1), e.remedy(), e.kind());
      }
    });
    return std::make_unique<Along>(std::move(members));
  };
}

}  // namespace renth
