#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <regex>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/problem/bound_values.hpp>
#include <renth/space/region.hpp>
#include <renth/tolerance/specification.hpp>
#include <set>

namespace renth {
namespace {

using Index = Eigen::Index;
constexpr Index block_rows = 1024;

/// Deviations of a surrogate's noise at some points of the region.
Eigen::MatrixXd noise_deviations(const Surrogate& surrogate, Points points) {
  return deviations(surrogate.predict(points, {.variance = true}).noise_variance);
}

/// The margin to the limits of a response whose values are given (m × q): the least along an axis.
Eigen::VectorXd margin_to(const Accept& accept, bool is_most, const Eigen::MatrixXd& values) {
  Eigen::VectorXd out = Eigen::VectorXd::Constant(values.rows(), std::numeric_limits<double>::infinity());
  for (Index q = 0; q < values.cols(); ++q) {
    const double limit = is_most ? *accept.most(q) : *accept.least(q);
    for (Index i = 0; i < values.rows(); ++i) {
      const double margin = is_most ? limit - values(i, q) : values(i, q) - limit;
      out[i] = std::isnan(margin) || std::isnan(out[i]) ? NAN : std::min(out[i], margin);
    }
  }
  return out;
}

std::string limit_text(const Problem& problem, const Response& r, const Accept& accept, bool is_most) {
  const std::string sign = is_most ? "<=" : ">=";
  const bool along = !(is_most ? accept.max_along : accept.min_along).empty();
  if (along) return fmt::format("{} {} its limits along {}", r.name, sign, problem.axis_of(r)->name);
  const std::string text = fmt::format("{} {} {}", r.name, sign, is_most ? *accept.max : *accept.min);
  return r.is_curve() ? text + " all along " + problem.axis_of(r)->name : text;
}

}  // namespace

Specification::Specification(const Predictor& predictor, SpecificationOptions options)
    : predictor_(predictor), options_(std::move(options)) {
  const Problem& problem = predictor.problem();
  if (options_.accept.empty())
    for (const Response& r : problem.responses) options_.accept.push_back(r.accept);
  std::set<int> sources;
  for (int k = 0; k < int(problem.responses.size()); ++k) {
    const Response& r = problem.responses[std::size_t(k)];
    const Accept& accept = options_.accept[std::size_t(k)];
    if (!predictor.has(k)) continue;
    if (accept.min || !accept.min_along.empty())
      limits_.push_back({k, false, limit_text(problem, r, accept, false)});
    if (accept.max || !accept.max_along.empty())
      limits_.push_back({k, true, limit_text(problem, r, accept, true)});
    if (!r.is_curve() && (accept.any() || r.goal)) responses_.push_back(k);
    if (!accept.any() && !(r.goal && !r.is_curve())) continue;
    if (r.derive) derived_.push_back(k);
    for (const int s : sources_of(problem, k)) sources.insert(s);
  }
  if (limits_.empty())
    throw Error("no response with a surrogate has accept limits", "accept",
                "give some accept = { min = …, max = … }");
  sources_.assign(sources.begin(), sources.end());
  if (options_.most_failure_risk < 1 && predictor.model().feasibility)
    limits_.push_back(
        {-1, true, fmt::format("the chance that the solver fails <= {:.2g}", options_.most_failure_risk)});
  const bool noisy = problem.noisy && !options_.mean_only;
  const Eigen::MatrixXd places = noisy ? region_points(problem.space, 32) : Eigen::MatrixXd();
  for (const int s : sources_) {
    constant_.emplace_back();
    first_noise_.push_back(-1);
    if (!noisy) continue;
    const Eigen::MatrixXd sd = noise_deviations(*predictor.model().parts[std::size_t(s)]->surrogate, places);
    if (!sd.allFinite() || sd.maxCoeff() <= 0) continue;
    first_noise_.back() = noise_;
    noise_ += sd.cols();
    if ((sd.rowwise() - sd.row(0)).cwiseAbs().maxCoeff() <= 1e-9 * sd.maxCoeff())
      constant_.back() = sd.row(0);
  }
}

Eigen::MatrixXd Specification::with_noise(std::size_t i, Points points,
                                          const Eigen::MatrixXd& normals) const {
  const Surrogate& surrogate = *predictor_.model().parts[std::size_t(sources_[i])]->surrogate;
  Eigen::MatrixXd out = surrogate.predict(points).mean;
  if (first_noise_[i] < 0 || normals.cols() == 0) return out;
  const auto z = normals.middleCols(first_noise_[i], out.cols());
  if (constant_[i].size() > 0)
    out.array() += z.array().rowwise() * constant_[i].array();
  else
    out.array() += z.array() * noise_deviations(surrogate, points).array();
  return out;
}

Specification::Answer Specification::of(Points points, const std::vector<Eigen::MatrixXd>& values) const {
  const Problem& problem = predictor_.problem();
  std::optional<BoundValues> bound;
  if (!derived_.empty()) {
    bound.emplace(problem, points);
    for (std::size_t i = 0; i < sources_.size(); ++i) bound->set(sources_[i], values[i]);
    bound->derive(derived_);
  }
  const auto value_of = [&](int k) -> Eigen::MatrixXd {
    const auto found = std::lower_bound(sources_.begin(), sources_.end(), k);
    if (found != sources_.end() && *found == k) return values[std::size_t(found - sources_.begin())];
    return bound->response(k);
  };
  Answer out{Eigen::MatrixXd(points.rows(), Index(limits_.size())),
             Eigen::MatrixXd(points.rows(), Index(responses_.size()))};
  for (std::size_t l = 0; l < limits_.size(); ++l) {
    const SpecificationLimit& limit = limits_[l];
    out.margins.col(Index(l)) =
        limit.response < 0
            ? Eigen::VectorXd(options_.most_failure_risk - 1 +
                              predictor_.model().feasibility->predict(points).mean.col(0).array())
            : margin_to(accept(limit.response), limit.is_most, value_of(limit.response));
  }
  for (std::size_t k = 0; k < responses_.size(); ++k)
    out.responses.col(Index(k)) = value_of(responses_[k]).col(0);
  return out;
}

void Specification::sure_margins(Points points, Eigen::MatrixXd& margins) const {
  std::vector<int> asked;
  for (const SpecificationLimit& limit : limits_)
    if (limit.response >= 0) asked.push_back(limit.response);
  std::sort(asked.begin(), asked.end());
  asked.erase(std::unique(asked.begin(), asked.end()), asked.end());
  const Predictions p = predictor_.predict(points, 2 * options_.sure - 1, {asked, false, false});
  for (std::size_t l = 0; l < limits_.size(); ++l) {
    if (limits_[l].response < 0) continue;
    const ResponsePrediction& r = *p.of(limits_[l].response);
    margins.col(Index(l)) = margin_to(accept(limits_[l].response), limits_[l].is_most,
                                      limits_[l].is_most ? r.confidence_high : r.confidence_low);
  }
}

Specification::Answer Specification::block(Points points, const Eigen::MatrixXd& normals) const {
  std::vector<Eigen::MatrixXd> values;
  for (std::size_t i = 0; i < sources_.size(); ++i) values.push_back(with_noise(i, points, normals));
  Answer out = of(points, values);
  if (options_.sure > 0) sure_margins(points, out.margins);
  return out;
}

Specification::Answer Specification::at(Points points, const Eigen::MatrixXd& normals) const {
  const Index m = points.rows(), blocks = (m + block_rows - 1) / block_rows;
  Answer out{Eigen::MatrixXd(m, Index(limits_.size())), Eigen::MatrixXd(m, Index(responses_.size()))};
  const auto one = [&](std::int64_t b) {
    const Index at = b * block_rows, rows = std::min(block_rows, m - at);
    const Answer part =
        block(points.middleRows(at, rows),
              normals.cols() > 0 ? Eigen::MatrixXd(normals.middleRows(at, rows)) : Eigen::MatrixXd());
    out.margins.middleRows(at, rows) = part.margins;
    out.responses.middleRows(at, rows) = part.responses;
  };
  if (blocks > 0) one(0);  // what surrogates work out when it is first needed
  parallel_for(blocks - 1, [&](std::int64_t b) { one(b + 1); });
  return out;
}

double share_passing(const Eigen::MatrixXd& margins) {
  Index hits = 0;
  for (Index i = 0; i < margins.rows(); ++i) hits += (margins.row(i).array() >= 0).all() ? 1 : 0;
  return double(hits) / double(margins.rows());
}

std::vector<Accept> accepts_with(const Problem& problem, const std::vector<std::string>& typed,
                                 const std::string& place) {
  static const std::regex form(R"(\s*([A-Za-z_]\w*)\s*(<=|>=)\s*([-+0-9.eE]+)\s*)");
  std::vector<Accept> out;
  for (const Response& r : problem.responses) out.push_back(r.accept);
  for (const std::string& text : typed) {
    std::smatch part;
    if (!std::regex_match(text, part, form))
      throw Error("\"" + text + "\" is no limit of a response", place, "write it as \"power>=40\"");
    const int k = problem.response(part[1].str());
    if (k < 0) refuse_unknown("response", part[1].str(), place, problem.response_names());
    const double value = std::strtod(part[3].str().c_str(), nullptr);
    if (!std::isfinite(value))
      throw Error("\"" + text + "\" has no number", place, "write it as \"power>=40\"");
    Accept& accept = out[std::size_t(k)];
    if (part[2] == "<=") {
      accept.max = value;
      accept.max_along.clear();
    } else {
      accept.min = value;
      accept.min_along.clear();
    }
  }
  for (std::size_t k = 0; k < out.size(); ++k)
    if (out[k].least() && out[k].most() && !(*out[k].least() <= *out[k].most()))
      throw Error(fmt::format("nothing is between {} and {}", *out[k].least(), *out[k].most()),
                  place + " of " + problem.responses[k].name, "give both sides");
  return out;
}

}  // namespace renth
