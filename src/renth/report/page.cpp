#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <renth/base/error.hpp>
#include <renth/predict/model_file.hpp>
#include <renth/predict/problem_json.hpp>
#include <renth/report/escape.hpp>
#include <renth/report/packed.hpp>
#include <renth/report/page.hpp>
#include <renth/report/page_template.hpp>
#include <renth/workflow/extremes.hpp>
#include <renth/workflow/fitted_study.hpp>
#include <renth/workflow/kept_seek.hpp>
#include <renth/workflow/named_settings.hpp>
#include <renth/workflow/trusting.hpp>

namespace renth {
namespace {

/// The model's text, packed; null where nothing is fitted.
Json model_of(Session& session, Notes& notes) {
  try {
    const FittedStudy fitted(session, {});
    add_notes(notes, fitted.notes());
    note_weak_parts(fitted.model(), notes);
    return packed(model_text(fitted.model()));
  } catch (const Error& error) {
    add_note(notes, "nothing_fitted",
             "nothing is fitted: the page shows the runs alone (" + error.problem() + ")");
    return nullptr;
  }
}

/// Another text when the study file or a surrogate is another.
std::string model_state(Session& session) {
  std::string out = fmt::format("{:x}", session.study.text_hash);
  for (const Response& r : session.study.responses)
    if (!r.derive) out += fmt::format(" {}", session.store.fitted_id(r.name));
  return out;
}

Json runs_of_study(Session& session) {
  Json out = Json::array();
  const Study& study = session.study;
  for (const Run& run : session.store.runs()) {
    Json responses = Json::object();
    for (const Response& r : study.responses) {
      if (r.is_curve()) {
        const auto curve = computed_curve(study, run, r);
        Json values = nullptr;
        if (curve) {
          values = Json::array();
          for (const double v : *curve) values.push_back(json_number(v));
        }
        responses[r.name] = std::move(values);
      } else {
        const auto value = run.status == RunStatus::done ? computed_value(study, run, r) : std::nullopt;
        responses[r.name] = value ? json_number(*value) : Json(nullptr);
      }
    }
    out.push_back({{"id", run.id},
                   {"batch", run.batch},
                   {"use", run.use},
                   {"status", name(run.status)},
                   {"set_aside", run.set_aside ? Json(*run.set_aside) : Json(nullptr)},
                   {"point", json_settings(study, run.settings)},
                   {"responses", std::move(responses)}});
  }
  return out;
}

/// All of few; of many the worst, and of the others every so many.
std::vector<const ResidualRow*> residuals_shown(const std::vector<ResidualRow>& rows) {
  constexpr std::size_t most = 3000, worst = 300;
  const std::size_t step = rows.size() <= most ? 1 : (rows.size() - worst) / (most - worst) + 1;
  std::vector<const ResidualRow*> out;
  for (std::size_t i = 0; i < rows.size(); i += i < worst ? 1 : step) out.push_back(&rows[i]);
  return out;
}

Json trust_of_study(Session& session, double level) {
  Json out = Json::array();
  try {
    TrustOptions options;
    options.level = level;
    options.learning = TrustOptions::Learning::never;
    for (const TrustResult::OfResponse& one : trust_responses(session, options).responses) {
      const Quality& q = one.model.quality;
      Json residuals = Json::array(), along = Json::array();
      for (const ResidualRow* r : residuals_shown(one.residuals))
        residuals.push_back({r->id, json_number(r->observed), json_number(r->cross_validated)});
      const Response& response =
          session.study.responses[std::size_t(session.study.response(one.model.response))];
      for (std::size_t i = 0; i < q.along.size(); ++i)
        along.push_back(
            {{"at", session.study.axis_of(response)->points[i]}, {"q2", json_number(q.along[i].q2)}});
      out.push_back({{"response", one.model.response},
                     {"verdict", name(one.model.judgement.verdict)},
                     {"reasons", json_texts(one.model.judgement.reasons)},
                     {"next", json_texts(one.model.judgement.next)},
                     {"q2", json_number(q.q2)},
                     {"along", std::move(along)},
                     {"runs", one.residuals.size()},
                     {"residuals", std::move(residuals)}});
    }
  } catch (const Error&) {  // no surrogate, or none that matches
  }
  return out;
}

/// A setting that still fits the study, as an object; nothing otherwise.
std::optional<Json> fitting_point(const Study& study, const Settings& settings) {
  try {
    return json_point(study, study.point(settings, "page"));
  } catch (const Error&) {
    return std::nullopt;
  }
}

Json proposals_of(Session& session) {
  Json out = Json::array();
  for (const StoredProposal& p : session.store.proposals())
    if (const auto point = fitting_point(session.study, p.settings))
      out.push_back({{"name", proposal_name(p)}, {"point", *point}});
  return out;
}

Json marks_of(Session& session) {
  Json out = Json::array();
  for (const StoredMark& m : session.store.marks())
    if (const auto point = fitting_point(session.study, m.settings))
      out.push_back({{"name", m.name}, {"point", *point}});
  return out;
}

Json front_of(Session& session) {
  Json out = Json::array();
  try {
    const KeptFront front = kept_front(session);
    for (Eigen::Index i = 0; i < front.points.rows(); ++i)
      out.push_back({{"point", json_point(session.study, front.points.row(i).transpose())},
                     {"knee", front.knee[std::size_t(i)] != 0}});
  } catch (const Error&) {  // none was asked for
  }
  return out;
}

Json near_best_of(Session& session) {
  const std::optional<KeptNearBest> near = kept_near_best(session);
  if (!near) return nullptr;
  Json out = Json::object();
  for (const auto& [name, ends] : near->box) out[name] = {ends.first, ends.second};
  return out;
}

/// What a verb found last, a document a variant, as long as nothing has changed since.
std::map<std::string, nlohmann::json> up_to_date(Session& session, const std::string& verb) {
  std::map<std::string, nlohmann::json> out;
  const std::uint64_t now = session.data_state();
  for (const KeptResult& kept : session.store.results(verb)) {
    if (kept.state != now) continue;
    nlohmann::json document = nlohmann::json::parse(kept.document, nullptr, false);
    if (document.is_object()) out.emplace(kept.variant, std::move(document));
  }
  return out;
}

Json windows_of(Session& session) {
  Json out = Json::array();
  for (const auto& [name, document] : session.store.windows())
    out.push_back({{"name", name}, {"span", Json(document.at("span"))}});
  const nlohmann::json::json_pointer span("/window/span");
  for (const auto& [variant, document] : up_to_date(session, "window"))
    if (document.contains(span) && document.at(span).is_object())
      out.push_back({{"name", "found last"}, {"span", Json(document.at(span))}});
  return out;
}

/// The last ranking by shares, if nothing has changed since.
Json rank_of(Session& session) {
  Json out = Json::array();
  for (const auto& [variant, document] : up_to_date(session, "rank")) {
    if ((variant != "shares" && !variant.empty()) || !document.contains("responses")) continue;
    for (const auto& r : document["responses"]) {
      Json parameters = Json::array();
      for (const auto& p : r.value("parameters", nlohmann::json::array()))
        parameters.push_back({{"parameter", p.value("parameter", "")},
                              {"share", p.contains("share") ? Json(p["share"]) : Json(nullptr)},
                              {"low", p.contains("low") ? Json(p["low"]) : Json(nullptr)},
                              {"high", p.contains("high") ? Json(p["high"]) : Json(nullptr)}});
      out.push_back({{"response", r.value("response", "")}, {"parameters", std::move(parameters)}});
    }
  }
  return out;
}

/// Smallest and largest value over the region of numbers with a goal: desirabilities begin there.
Json extremes_of_goals(Session& session) {
  Json out = Json::object();
  std::vector<std::string> wanted;
  constexpr std::size_t most = 8;  // each is a search
  for (const Response& r : session.study.responses)
    if (r.goal && !r.is_curve() && wanted.size() < most) wanted.push_back(r.name);
  if (wanted.empty()) return out;
  try {
    for (const auto& one : extremes_of_responses(session, wanted, std::nullopt).responses)
      if (one.extremes.smallest.value < one.extremes.largest.value)
        out[one.response] = {one.extremes.smallest.value, one.extremes.largest.value};
  } catch (const Error&) {  // one of them is not fitted
  }
  return out;
}

/// JSON that can stand in a script element: nothing in it ends one.
std::string harmless(std::string json) {
  std::string out;
  out.reserve(json.size());
  for (const char c : json) {
    if (c == '<')
      out += "\\u003c";
    else
      out += c;
  }
  return out;
}

/// Fills one place of the template.
void fill(std::string& html, const std::string& place, const std::string& with) {
  const std::size_t at = html.find(place);
  if (at != std::string::npos) html.replace(at, place.size(), with);
}

}  // namespace

Json page_data(Session& session, const PageOptions& options, Notes& notes, bool with_model,
               PageMemory* memory) {
  PageMemory own;
  PageMemory& known = memory ? *memory : own;
  if (const std::uint64_t now = session.data_state(); known.trust.is_null() || known.state != now)
    known = {now, trust_of_study(session, options.level), extremes_of_goals(session)};
  Json out;
  out["level"] = options.level;
  out["version"] = options.version;
  out["served"] = options.served;
  out["view"] = options.view;
  out["problem"] = problem_to_json(session.study);
  out["model"] = with_model ? model_of(session, notes) : Json(nullptr);
  out["model_state"] = model_state(session);
  out["runs"] = runs_of_study(session);
  out["trust"] = known.trust;
  out["proposals"] = proposals_of(session);
  out["front"] = front_of(session);
  out["near_best"] = near_best_of(session);
  out["marks"] = marks_of(session);
  out["windows"] = windows_of(session);
  out["rank"] = rank_of(session);
  out["extremes"] = known.extremes;
  Json said = Json::array();
  for (const Note& n : notes)
    if (n.code == "out_of_date" || n.code == "nothing_fitted" || n.code == "no_surrogate")
      said.push_back(n.text);
  out["notes"] = std::move(said);
  return out;
}

std::string page_html(Session& session, const PageOptions& options, Notes& notes, PageMemory* memory) {
  // Places are filled from the end of the template backwards in size: the study is the largest.
  std::string html = page_template();
  fill(html, "@CONNECT@", options.connect);
  fill(html, "@TITLE@", escaped_html(session.study.name));
  fill(html, "@STUDY@", harmless(json_text(page_data(session, options, notes, true, memory))));
  return html;
}

}  // namespace renth
