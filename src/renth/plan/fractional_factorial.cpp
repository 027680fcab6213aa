#include <fmt/format.h>

#include <bit>
#include <renth/base/error.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/coded_plan.hpp>
#include <renth/plan/fractional_factorial.hpp>
#include <renth/plan/two_level.hpp>

namespace renth {

int parse_resolution(const std::string& text) {
  const std::pair<const char*, int> known[] = {{"III", 3}, {"IV", 4}, {"V", 5}, {"3", 3}, {"4", 4}, {"5", 5}};
  for (const auto& [name, value] : known)
    if (text == name) return value;
  throw Error(fmt::format("no plan is made for resolution \"{}\"", text), "`resolution`", "use III, IV or V");
}
std::string roman(int resolution) {
  const char* names[] = {"none", "I", "II", "III", "IV", "V", "VI", "VII", "VIII", "IX", "X"};
  return resolution <= 10 ? names[resolution] : std::to_string(resolution);
}

namespace {

/// By generators, by the number of runs, or the smallest of a resolution.
Fraction fraction_asked(const std::vector<std::string>& names, const FractionalFactorialOptions& o) {
  const std::string kind = "fractional-factorial";
  const int k = int(names.size());
  Fraction fraction;
  if (!o.generators.empty()) {
    if (o.resolution > 0 || o.runs > 0)
      throw Error("generators say how many runs and which resolution", "plan " + kind,
                  "leave out `resolution` and `runs`, or `generators`");
    fraction = parse_generators(names, o.generators);
  } else if (o.runs > 0) {
    if (!std::has_single_bit(unsigned(o.runs)) || o.runs < 4)
      throw Error(fmt::format("a two-level fraction cannot have {} runs", o.runs), "plan " + kind + " `runs`",
                  fmt::format("use {} or {}", std::max(4U, std::bit_floor(unsigned(o.runs))),
                              std::max(8U, 2 * std::bit_floor(unsigned(o.runs)))));
    fraction = minimum_aberration(k, int(std::countr_zero(unsigned(o.runs))));
    if (o.resolution > 0 && fraction.resolution() > 0 && fraction.resolution() < o.resolution)
      throw Error(fmt::format("{} runs of {} parameters reach resolution {}, not {}", o.runs, k,
                              roman(fraction.resolution()), roman(o.resolution)),
                  "plan " + kind, fmt::format("use `runs={}`", smallest_fraction(k, o.resolution).runs()));
  } else {
    fraction = smallest_fraction(k, o.resolution > 0 ? o.resolution : 4);
  }
  return fraction;
}

std::string alias_note(const Fraction& fraction, const std::vector<std::string>& names, int resolution) {
  const std::vector<std::string> lines =
      aliases(fraction, names, resolution <= 3 ? 2 : std::max(2, resolution - 2));
  std::string text;
  for (std::size_t i = 0; i < lines.size() && i < 20; ++i) text += (i ? "; " : "") + lines[i];
  if (lines.size() > 20) text += fmt::format("; and {} more: assess `model=products`", lines.size() - 20);
  return lines.empty() ? "no main effect or two-parameter product is aliased with another"
                       : "aliases: " + text;
}

}  // namespace

Plan fractional_factorial(const Space& space, const FractionalFactorialOptions& o, Seed seed) {
  const std::string kind = "fractional-factorial";
  need_levels(space, 2, false, kind, "use optimal, which takes any choices, or fix the parameter");
  if (o.replicates < 1) throw Error("replicates must be 1 or more", "plan " + kind, "use `replicates=1`");
  if (o.centre_runs > 0) need_levels(space, 3, false, "a centre run", "leave `centre` out");
  if (space.size() > 31)
    throw Error("a two-level fraction takes at most 31 parameters", "plan " + kind, "use plackett-burman");
  std::vector<std::string> names;
  for (const Parameter& p : space.parameters()) names.push_back(p.name);
  const int k = int(space.size());
  const Fraction fraction = fraction_asked(names, o);
  CodedRuns runs;
  const Eigen::MatrixXd corners = fraction.coded();
  runs.coded = corners.replicate(o.replicates, 1);
  runs.origins.assign(std::size_t(runs.coded.rows()), "corner");
  if (o.centre_runs > 0) add_centre(runs, o.centre_runs, 0);
  Plan plan = from_coded(space, runs, kind, o.random_order, seed);
  std::string generators;
  for (const Fraction::Generator& g : fraction.generators)
    generators += fmt::format("{}{} = {}{}", generators.empty() ? "" : ", ", names[std::size_t(g.factor)],
                              g.sign < 0 ? "-" : "", describe_word(names, g.word));
  const int resolution = fraction.resolution();
  plan.options["runs"] = std::to_string(plan.size());
  plan.options["generators"] = generators;
  plan.options["resolution"] = resolution > 0 ? roman(resolution) : "full";
  plan.options["centre"] = std::to_string(o.centre_runs);
  plan.options["replicates"] = std::to_string(o.replicates);
  if (resolution == 0) {
    plan.notes.push_back("a fraction of that resolution is the full factorial: nothing is aliased");
    return plan;
  }
  plan.notes.push_back(fmt::format(
      "resolution {}, {} of {} corners: {}{}", roman(resolution), fraction.runs(), 1L << k, generators,
      fraction.proved ? "" : " (the best found; its minimum aberration is not proved)"));
  plan.notes.push_back(alias_note(fraction, names, resolution));
  return plan;
}

}  // namespace renth
