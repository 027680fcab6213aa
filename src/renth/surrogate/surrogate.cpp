#include <algorithm>
#include <cmath>
#include <renth/base/undefined.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/surrogate/sound.hpp>
#include <renth/surrogate/surrogate.hpp>

namespace renth {

Eigen::MatrixXd deviations(const Eigen::MatrixXd& variance) {
  return variance.array().isNaN().select(undefined, variance.array().max(0).sqrt());
}

Intervals Surrogate::intervals(const Prediction& p, double level) const {
  const double t = student_t_width(level, p.degrees_of_freedom);
  const Eigen::ArrayXXd model = deviations(p.model_variance).array() * t;
  const Eigen::ArrayXXd both = deviations(p.model_variance + p.noise_variance).array() * t;
  return {p.mean.array() - model, p.mean.array() + model, p.mean.array() - both, p.mean.array() + both};
}

void save_space(ArchiveWriter& out, const Space& space) {
  out.count("parameters", space.size());
  for (const Parameter& p : space.parameters()) {
    out.text("name", p.name);
    out.count("kind", static_cast<int>(p.kind));
    out.number("low", p.low);
    out.number("high", p.high);
    out.number("nominal", p.nominal);
    out.number("step", p.step);
    out.count("values", static_cast<std::int64_t>(p.values.size()));
    for (const double v : p.values) out.number("value", v);
    out.count("choices", static_cast<std::int64_t>(p.choices.size()));
    for (const std::string& c : p.choices) out.text("choice", c);
  }
}

Space load_space(ArchiveReader& in) {
  std::vector<Parameter> parameters(
      static_cast<std::size_t>(std::clamp<std::int64_t>(in.count(), 0, 10'000)));
  for (Parameter& p : parameters) {
    p.name = in.text();
    const std::int64_t kind = in.count();
    need_sound(kind >= 0 && kind <= static_cast<int>(Parameter::Kind::choice));
    p.kind = static_cast<Parameter::Kind>(kind);
    p.low = in.number();
    p.high = in.number();
    p.nominal = in.number();
    p.step = in.number();
    for (std::int64_t i = in.count(); i > 0; --i) p.values.push_back(in.number());
    for (std::int64_t i = in.count(); i > 0; --i) p.choices.push_back(in.text());
  }
  need_sound(!parameters.empty());
  return Space(std::move(parameters));
}

}  // namespace renth
