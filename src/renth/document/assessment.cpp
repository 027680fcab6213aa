#include <fmt/format.h>

#include <cmath>
#include <renth/document/assessment.hpp>
#include <renth/document/parts.hpp>

namespace renth {
namespace {

Json numbers_of(const Eigen::VectorXd& values) {
  Json out = Json::array();
  for (const double v : values) out.push_back(json_number(v));
  return out;
}

Json assessed_terms(const Study& study, const Assessment& a) {
  Json terms = Json::array();
  for (std::size_t t = 0; t < a.terms.size(); ++t) {
    const auto at = Eigen::Index(t);
    terms.push_back({{"term", name(study.space, a.terms[t])},
                     {"vif", json_number(a.information.vif[at])},
                     {"std_error_per_sigma", json_number(a.information.std_error[at])},
                     {"power", {{"1", json_number(a.power1[at])}, {"2", json_number(a.power2[at])}}}});
  }
  return terms;
}

Json variance_of(const Study& study, const Assessment& a) {
  Json fraction = Json::array();
  for (const auto& [share, variance] : a.variance.fraction)
    fraction.push_back({{"share", share}, {"variance", json_number(variance)}});
  const bool some = !a.variance.fraction.empty();
  const auto or_null = [&](double v) { return some ? json_number(v) : Json(nullptr); };
  Json variance = {
      {"min", or_null(a.variance.min)}, {"mean", or_null(a.variance.mean)}, {"max", or_null(a.variance.max)}};
  if (some) variance["max_at"] = json_point(study, a.variance.max_at);
  variance["fraction"] = fraction;
  return variance;
}

/// The variance that a share of the region does not exceed.
double at_share(const Assessment& a, double share) {
  for (const auto& [s, v] : a.variance.fraction)
    if (s >= share - 1e-9) return v;
  return NAN;
}

struct Figure {
  const char* name;
  double (*value)(const Assessment&);
  int digits;
};
const std::vector<Figure>& figures() {
  static const std::vector<Figure> all = {
      {"runs", [](const Assessment& a) { return double(a.runs); }, 6},
      {"residual degrees of freedom",
       [](const Assessment& a) { return double(a.runs) - double(a.terms.size()); }, 6},
      {"D-efficiency", [](const Assessment& a) { return a.information.d_efficiency; }, 4},
      {"A-efficiency", [](const Assessment& a) { return a.information.a_efficiency; }, 4},
      {"G-efficiency", [](const Assessment& a) { return a.g_efficiency; }, 4},
      {"mean prediction variance / σ² (I)", [](const Assessment& a) { return a.information.i_value; }, 4},
      {"… half of the region below", [](const Assessment& a) { return at_share(a, 0.5); }, 4},
      {"… 90 % of the region below", [](const Assessment& a) { return at_share(a, 0.9); }, 4},
      {"… the largest",
       [](const Assessment& a) { return a.variance.fraction.empty() ? NAN : a.variance.max; }, 4},
      {"largest variance inflation", [](const Assessment& a) { return a.information.max_vif; }, 4},
      {"condition number", [](const Assessment& a) { return a.information.condition; }, 4},
      {"largest leverage",
       [](const Assessment& a) {
         return a.information.leverage.size() > 0 ? a.information.leverage.maxCoeff() : NAN;
       },
       4},
      {"smallest distance of two runs", [](const Assessment& a) { return a.evenness.min_distance; }, 4},
      {"mean distance to the nearest", [](const Assessment& a) { return a.evenness.mean_nearest; }, 4},
      {"centred L2 discrepancy", [](const Assessment& a) { return a.evenness.discrepancy; }, 4},
      {"largest correlation of two columns",
       [](const Assessment& a) { return a.evenness.max_abs_correlation; }, 4},
  };
  return all;
}

}  // namespace

Json evenness_document(const Evenness& evenness) {
  return {{"min_distance", json_number(evenness.min_distance)},
          {"mean_distance", json_number(evenness.mean_distance)},
          {"mean_nearest_distance", json_number(evenness.mean_nearest)},
          {"discrepancy_l2_centred", json_number(evenness.discrepancy)},
          {"max_abs_correlation", json_number(evenness.max_abs_correlation)}};
}

Json assessment_document(const Study& study, const std::string& plan, const Assessment& a) {
  const Information& i = a.information;
  Json aliases = Json::array();
  for (const Alias& x : a.aliases)
    aliases.push_back({{"term", x.term}, {"with", x.with}, {"correlation", x.correlation}});
  return {{"batch", plan},
          {"runs", a.runs},
          {"model", describe(study.space, a.terms)},
          {"terms", assessed_terms(study, a)},
          {"log_det", json_number(i.log_det)},
          {"d_efficiency", json_number(i.d_efficiency)},
          {"a_efficiency", json_number(i.a_efficiency)},
          {"g_efficiency", json_number(a.g_efficiency)},
          {"i_value", json_number(i.i_value)},
          {"max_vif", json_number(i.max_vif)},
          {"condition", json_number(i.condition)},
          {"leverage", numbers_of(i.leverage)},
          {"prediction_variance", variance_of(study, a)},
          {"space", evenness_document(a.evenness)},
          {"aliases", aliases},
          {"block_correlation", a.block_correlation}};
}

std::string side_by_side(const std::vector<std::pair<std::string, const Assessment*>>& plans) {
  std::vector<std::string> header = {"figure"};
  for (const auto& [name, a] : plans) header.push_back(name);
  TextTable table(header);
  for (const Figure& f : figures()) {
    table.text(f.name);
    for (const auto& [name, a] : plans) {
      const double v = f.value(*a);
      table.text(std::isfinite(v) ? pretty(v, f.digits) : "–");
    }
    table.end_row();
  }
  return table.str();
}

std::string plan_verdict(const Assessment& a) {
  if (!a.information.estimable) return "cannot be fitted";
  if (Eigen::Index(a.terms.size()) == a.runs) return "fits exactly, with nothing left to check it";
  return fmt::format("a prediction is good to {} σ on average and {} σ at worst",
                     pretty(std::sqrt(a.information.i_value), 2), pretty(std::sqrt(a.variance.max), 2));
}

}  // namespace renth
