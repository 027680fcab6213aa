#include <renth/fit/along_components.hpp>
#include <renth/fit/blocks.hpp>
#include <renth/fit/curve_shapes.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/surrogate/components.hpp>
#include <renth/surrogate/data.hpp>

namespace renth {

using Index = Eigen::Index;

Fit along_components(std::vector<Fit> fits, double share) {
  return without_blocks(
      [fits, share](const Space& space, const Data& data, Seed seed) -> std::unique_ptr<const Surrogate> {
        if (data.outputs.cols() == 1) return fits[0](space, data, seed);
        const int most = int(std::min<Index>(data.size() - 1, 30));
        const CurveShapes shapes = curve_shapes(data.outputs, share, most);
        Components::State s;
        s.mean = shapes.mean;
        s.scale = shapes.scale;
        s.shapes = shapes.shapes;
        s.left_over = shapes.left_over;
        s.share = shapes.share;
        s.noisy = data.noisy;
        s.scores.resize(std::size_t(shapes.scores.cols()));
        parallel_for(shapes.scores.cols(), [&](std::int64_t k) {
          Data part = data;
          part.outputs = Eigen::MatrixXd(shapes.scores.col(k));
          const std::size_t f = fits.size() == 1 ? 0 : std::min(std::size_t(k), fits.size() - 1);
          s.scores[std::size_t(k)] = fits[f](space, part, seed);
        });
        return std::make_unique<Components>(std::move(s));
      });
}

}  // namespace renth
