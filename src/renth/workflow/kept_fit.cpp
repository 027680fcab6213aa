#include <cmath>
#include <renth/workflow/kept_fit.hpp>

namespace renth {
namespace {

using nlohmann::json;

/// Numbers in the store: null is NaN.
double from_stored(const json& v) {
  return v.is_number() ? v.get<double>() : NAN;
}
json to_stored(double v) {
  return std::isfinite(v) ? json(v) : json();
}

}  // namespace

std::vector<Tried> tried_from(const json& list) {
  std::vector<Tried> out;
  for (const json& t : list)
    out.push_back(
        {t["kind"], from_stored(t["q2"]), from_stored(t["rmse_cv"]), t["why"], t.value("settings", "")});
  return out;
}
json tried_to(const std::vector<Tried>& tried) {
  json out = json::array();
  for (const Tried& t : tried)
    out.push_back({{"kind", t.kind},
                   {"q2", to_stored(t.q2)},
                   {"rmse_cv", to_stored(t.rmse_cv)},
                   {"why", t.why},
                   {"settings", t.settings}});
  return out;
}

json selection_to(const TermSelection& selection) {
  json steps = json::array(), kept = json::array();
  for (const ChoiceStep& s : selection.steps)
    steps.push_back({s.step, s.added, s.term, to_stored(s.p), to_stored(s.criterion), s.rule});
  for (const auto& k : selection.kept) kept.push_back({k.term, k.because, to_stored(k.p)});
  return {{"steps", steps}, {"kept", kept}};
}
TermSelection selection_from(const json& stored) {
  TermSelection out;
  if (!stored.contains("selection")) return out;
  for (const json& s : stored["selection"]["steps"])
    out.steps.push_back({s[0], s[1], s[2], from_stored(s[3]), from_stored(s[4]), s[5]});
  for (const json& k : stored["selection"]["kept"]) out.kept.push_back({k[0], k[1], from_stored(k[2])});
  return out;
}

}  // namespace renth
