#include <cmath>
#include <limits>
#include <optional>
#include <renth/base/error.hpp>
#include <renth/fit/blocks.hpp>
#include <renth/fit/kriging_search.hpp>
#include <renth/fit/standardise.hpp>
#include <renth/fit/warped_fit.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kriging_ensemble.hpp>
#include <renth/surrogate/warped.hpp>

namespace renth {
namespace {

using Eigen::VectorXd;

constexpr double rooms[] = {0.01, 0.03, 0.1, 0.3, 1, 3};
// More log-likelihood: two numbers are chosen, and few runs that happen to lie so mislead.
constexpr double clearly = 5;

VectorXd on_scale(const LogScale& scale, const VectorXd& y) {
  return y.unaryExpr([&](double v) { return scale.forward(v); });
}

Data with_outputs(const Data& data, const VectorXd& z) {
  Data out = data;
  out.outputs.col(0) = z;
  return out;
}

/// Log-likelihood of y, from that of its standardised values on the scale.
double of_y(double log_likelihood, const Standardised& outputs) {
  return log_likelihood - double(outputs.z.size()) * std::log(outputs.spread);
}

/// Σ ln|dz/dy|.
double log_slope(const VectorXd& z) {
  return -z.sum();
}

/// The likeliest scale, if it is clearly likelier than none, at lengths that start where those of the plain
/// response end.
std::optional<LogScale> likeliest_scale(const Space& space, const Data& data, KrigingOptions options,
                                        Seed seed, bool needed) {
  const VectorXd y = data.outputs.col(0);
  options.kernel = options.kernel.value_or(Kernel::matern52);
  options.draws = 0;
  options.starts = 2;
  options.screening = 20;
  const auto process = [&](const Data& d) {
    const auto fitted = kriging_fit(options)(space, d, seed);
    const auto* kriging = dynamic_cast<const Kriging*>(fitted.get());
    return std::pair(likeliest_process(*fitted)->warm_start(),
                     kriging ? kriging->state().log_likelihood : std::numeric_limits<double>::quiet_NaN());
  };
  const auto [plain, log_likelihood] = process(data);
  double best = needed ? of_y(log_likelihood, standardise(data, "kriging")) + clearly
                       : -std::numeric_limits<double>::infinity();
  options.warm_start = plain;
  std::optional<LogScale> out;
  for (const int sign : {1, -1})
    for (const double room : rooms) {
      const LogScale scale = LogScale::of(y, sign, room);
      const VectorXd z = on_scale(scale, y);
      const Data on = with_outputs(data, z);
      try {
        const double then = of_y(process(on).second, standardise(on, "kriging")) + log_slope(z);
        if (then > best) {
          best = then;
          out = scale;
        }
      } catch (const Error&) {
        // this scale cannot be fitted
      }
    }
  return out;
}

/// The room near that of `whole` that is likeliest on these runs, at its lengths.
LogScale scale_again(const Space& space, const Data& data, const KrigingOptions& options,
                     const Warped& whole) {
  const VectorXd y = data.outputs.col(0);
  const Process& process = *likeliest_process(whole.inner());
  const std::vector<double> start = process.warm_start();
  const VectorXd at = Eigen::Map<const VectorXd>(start.data(), Eigen::Index(start.size()));
  KrigingOptions known = options;
  known.kernel = process.kernel;
  LogScale out = LogScale::of(y, whole.scale().sign, whole.scale().room);
  double best = -std::numeric_limits<double>::infinity();
  for (const double times : {1.0, 1 / 3.0, 3.0}) {
    const LogScale scale = LogScale::of(y, whole.scale().sign, times * whole.scale().room);
    const VectorXd z = on_scale(scale, y);
    const Standardised outputs = standardise(with_outputs(data, z), "kriging");
    KrigingObjective objective(kriging_problem(space, data, outputs.z, known));
    const double then = of_y(-objective(at, nullptr), outputs) + log_slope(z);
    if (then > best) {
      best = then;
      out = scale;
    }
  }
  return out;
}

}  // namespace

Fit warped_kriging_fit(KrigingOptions options, bool needed) {
  return without_blocks([options, needed](const Space& space, const Data& data,
                                          Seed seed) -> std::unique_ptr<const Surrogate> {
    check_data(space, data);
    standardise(data, "kriging");
    const std::optional<LogScale> scale = likeliest_scale(
        space, data.size() > options.part ? part_of(data, options.part, seed) : data, options, seed, needed);
    if (!scale)
      throw Unneeded("no logarithmic scale is clearly likelier than the response itself", "fit kriging",
                     "fit it as it is");
    // Beyond the part that the scale was chosen on there may be values that it cannot take.
    const LogScale all = LogScale::of(data.outputs.col(0), scale->sign, scale->room);
    auto inner = kriging_fit(options)(space, with_outputs(data, on_scale(all, data.outputs.col(0))), seed);
    return std::make_unique<Warped>(std::move(inner), all);
  });
}

Fit warped_kriging_again(KrigingOptions options, const Surrogate& whole) {
  return without_blocks(
      [options, warped = static_cast<const Warped*>(&whole)](const Space& space, const Data& data,
                                                             Seed seed) -> std::unique_ptr<const Surrogate> {
        check_data(space, data);
        standardise(data, "kriging");
        // With many runs the scale hardly moves, as lengths do.
        const LogScale scale =
            data.size() > most_sought_in_folds ? warped->scale() : scale_again(space, data, options, *warped);
        auto inner = kriging_again(options, warped->inner())(
            space, with_outputs(data, on_scale(scale, data.outputs.col(0))), seed);
        return std::make_unique<Warped>(std::move(inner), scale);
      });
}

}  // namespace renth
