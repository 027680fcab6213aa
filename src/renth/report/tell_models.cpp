#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/document/kept_production.hpp>
#include <renth/document/parts.hpp>
#include <renth/document/quality.hpp>
#include <renth/document/regression.hpp>
#include <renth/document/wording.hpp>
#include <renth/report/telling.hpp>
#include <renth/workflow/kept_seek.hpp>
#include <sstream>

namespace renth {
namespace {

const Rows* rows_in(const Figures& figures, std::string_view key) {
  for (const Figure& f : figures)
    if (f.key == key) return std::get_if<Rows>(&f.value);
  return nullptr;
}

void tell_regression(Telling& t, const std::string& response) {
  Notes known;  // said of the surrogate already
  const ModelResult model = current_polynomial(t.session, response, t.options.level, known);
  const Figures figures = regression_figures(t.study(), model);
  for (const auto& [key, caption] :
       {std::pair{"terms", "coefficients in coded units (−1 … +1)"}, {"anova", "analysis of variance"}})
    if (const Rows* rows = rows_in(figures, key)) t.table(caption, cells_of(*rows));
  if (const std::string errors = strata_sentence(model.quality.regression->strata); !errors.empty())
    t.say(errors);
  for (const Figure& f : figures)
    if (f.key == "equation")
      if (const auto* equation = std::get_if<std::string>(&f.value)) {
        t.say("The equation in real units:");
        t.report.blocks.push_back(Listing{*equation});
      }
}

/// \param whole  with the regression and a picture.
void tell_one(Telling& t, const TrustResult::OfResponse& one, bool whole) {
  const ModelResult& m = one.model;
  const Response& r = response_of(t.study(), m.response);
  t.part(r.title());
  std::string sentence = verdict_sentence(t.study(), m);
  if (!sentence.empty() && sentence.back() == '\n') sentence.pop_back();
  if (m.judgement.verdict >= Verdict::weak)
    t.warn(sentence);
  else
    t.say(sentence);
  std::vector<std::string> why;
  for (const std::string& reason : m.judgement.reasons) why.push_back(in_options(reason));
  for (const std::string& next : m.judgement.next) why.push_back("Next: " + in_options(next));
  if (!m.idle.empty())
    why.push_back("It leaves out " + listed_words(m.idle) + ": nothing is seen of them in these runs.");
  t.list(std::move(why));
  t.table("quality", cells_of(quality_rows(m.quality, {one.coverage, one.calibrated_check})));
  if (const std::string stand = m.quality.regression && !r.is_curve() ? standout_lines(m) : "";
      !stand.empty()) {
    t.say("Runs that stand out:");
    std::vector<std::string> lines;
    std::istringstream text(stand);
    for (std::string line; std::getline(text, line);)
      if (const std::size_t from = line.find_first_not_of(' '); from != std::string::npos)
        lines.push_back(line.substr(from));
    t.list(std::move(lines));
  } else if (!one.residuals.empty()) {
    Rows rows;
    constexpr std::size_t most = 5;
    for (std::size_t i = 0; i < std::min(most, one.residuals.size()); ++i) {
      const ResidualRow& row = one.residuals[i];
      rows.push_back({text("", "run", std::to_string(row.id)), text("", "batch", row.batch)});
      if (r.is_curve()) rows.back().push_back(number("", "at", row.at));
      for (Figure& f : Figures{number("", "observed", row.observed),
                               number("", "predicted without it", row.cross_validated),
                               number("", "error", row.error_percent, 2, "%")})
        rows.back().push_back(std::move(f));
    }
    t.table("the runs that are predicted worst", cells_of(rows));
  }
  if (!whole) return;
  if (m.quality.regression && !r.is_curve()) tell_regression(t, m.response);
  DrawingOptions d;
  d.figure = m.quality.regression ? "residuals" : "predicted-observed";
  d.responses = {m.response};
  if (r.is_curve()) d.figure = "curve";
  const std::string q2 = fixed(m.quality.q2, 3);
  t.picture(d,
            r.is_curve()
                ? "The curve at the setting held, with its bands and how well each point is predicted."
            : m.quality.regression
                ? "Residuals: none of the four pictures should have a pattern."
                : "Each run against what a surrogate says that has not seen it; on the line is right.",
            fmt::format("{} is predicted with Q² {}: {}", r.title(), q2, name(m.judgement.verdict)));
}

/// Where pictures of the shapes go through: the best proposal, else the nominal setting.
SettingAsked shown_setting(Telling& t) {
  SettingAsked out;
  for (const StoredProposal& p : t.session.store.proposals()) {
    try {
      t.study().point(p.settings, "report");
      out.proposal = proposal_name(p);
      break;
    } catch (const Error&) {  // of another study file
    }
  }
  return out;
}

}  // namespace

void tell_surrogates(Telling& t) {
  if (!t.trust) return;
  t.section("The surrogates");
  t.say(
      "What follows from here on is predicted by surrogates: cheap models fitted to the runs. The question "
      "for each is what it says of runs that it has not seen.");
  Rows rows;
  for (const auto& one : t.trust->responses) {
    const Quality& q = one.model.quality;
    rows.push_back({text("", "response", title_of_response(t.study(), one.model.response)),
                    text("", "kind", one.model.kind),
                    text("", "verdict", std::string(name(one.model.judgement.verdict))),
                    text("", "runs", std::to_string(one.model.runs)), number("", "R²", q.r2),
                    number("", "Q²", q.q2), text("", "error of a run left out", pretty(q.rmse_cv, 3)),
                    text("", "R² of check runs", q.check ? fixed(q.check->r2, 3) : "–")});
  }
  t.table("all surrogates", cells_of(rows));
  std::vector<std::string> notes;
  for (const Note& n : t.trust->notes) notes.push_back(in_options(n.text));
  if (const Found* fit = t.of("fit"); fit && !fit->out_of_date)
    for (const Kept& n : part_of(fit->document, "notes"))
      if (std::find(notes.begin(), notes.end(), text_in(n, "text")) == notes.end())
        notes.push_back(text_in(n, "text"));
  t.list(std::move(notes));
  for (const auto& one : t.trust->responses)
    if (t.is_shown(one.model.response))
      tell_one(t, one, true);
    else if (one.model.judgement.verdict >= Verdict::weak)
      tell_one(t, one, false);
}

void tell_ranking(Telling& t) {
  bool first = true;
  for (const Found& f : t.found) {
    if (f.verb != "rank") continue;
    if (first) t.section("What matters");
    first = false;
    t.tell_found(f);
  }
}

/// Parameters by what they matter to a response, as ranked last; none if they were not.
std::vector<std::string> ranked_parameters(const Telling& t, const std::string& response) {
  std::vector<std::string> out;
  if (const Found* rank = t.of("rank"))
    for (const Kept& r : part_of(rank->document, "responses"))
      if (text_in(r, "response") == response)
        for (const Kept& p : part_of(r, "parameters")) out.push_back(text_in(p, "parameter"));
  return out;
}

void tell_shapes(Telling& t) {
  if (!t.trust) return;
  const SettingAsked at = shown_setting(t);
  std::vector<std::string> shown;
  for (const std::string& name : t.shown)
    if (t.trust_in(name) && !response_of(t.study(), name).is_curve()) shown.push_back(name);
  if (shown.empty()) return;
  t.section("How responses move");
  const std::string where = at.proposal.empty() ? "the nominal setting" : "proposal " + at.proposal;
  t.say(
      fmt::format("One parameter at a time, and two of them together, through {}. Bands are where the mean "
                  "lies at {:.0f} %; dotted lines lie outside what the runs cover.",
                  where, 100 * t.options.level));
  for (const std::string& name : shown) {
    const std::string& title = response_of(t.study(), name).title();
    const std::vector<std::string> by_share = ranked_parameters(t, name);
    const std::string most =
        by_share.empty() ? "" : fmt::format(": {} moves it most", title_of_parameter(t.study(), by_share[0]));
    DrawingOptions d;
    d.figure = "slices";
    d.responses = {name};
    d.held = at;
    t.picture(d, fmt::format("{} along each parameter through {} (predicted).", title, where),
              title + " along each parameter" + most);
    const auto between =
        std::count_if(t.study().space.parameters().begin(), t.study().space.parameters().end(),
                      [](const Parameter& p) { return p.is_between(); });
    if (between < 2) continue;
    d.figure = "contour";
    // The two that matter most are looked up in the ranking there is; else the first two.
    std::vector<std::string> two;
    for (const std::string& ranked : by_share)
      for (const Parameter& known : t.study().space.parameters())
        if (known.is_between() && known.name == ranked) two.push_back(known.name);
    for (const Parameter& p : t.study().space.parameters())
      if (p.is_between() && std::find(two.begin(), two.end(), p.name) == two.end()) two.push_back(p.name);
    d.x = two[0];
    d.y = two[1];
    t.picture(d,
              fmt::format("{} over {} and {} (predicted); dots are runs.", title,
                          title_of_parameter(t.study(), d.x), title_of_parameter(t.study(), d.y)),
              fmt::format("{} over {} and {}{}", title, d.x, d.y, most));
  }
}

void tell_proposals(Telling& t) {
  const Found *seek = t.of("seek"), *confirm = t.of("confirm"), *extremes = t.of("extremes");
  if (!seek && !confirm && !extremes) return;
  t.section("Settings found");
  if (seek) {
    t.say("Searched on the surrogates: every number in these tables is predicted.");
    t.tell_found(*seek);
    if (!part_of(seek->document, "front").empty() && !seek->out_of_date) {
      DrawingOptions d;
      d.figure = "front";
      t.picture(d, "What one goal costs in another (predicted); grey: what else is reached.",
                "the trade-off between the goals");
    }
    if (!part_of(seek->document, "history").empty()) {
      DrawingOptions d;
      d.figure = "history";
      t.picture(d, "What each round predicted, and what the solver computed.",
                "predicted and computed values round by round");
    }
  }
  if (confirm) {
    t.part("On the solver");
    t.tell_found(*confirm);
  }
  if (extremes) {
    t.part("Extremes");
    t.tell_found(*extremes);
  }
}

void tell_production(Telling& t) {
  const Found *tolerance = t.of("tolerance"), *window = t.of("window");
  if (!tolerance && !window) return;
  t.section("In production");
  if (tolerance) {
    const Kept& d = tolerance->document;
    const Bounds b = bounds_in(d, "yield_interval");
    std::string at;
    for (const Figure& f : point_columns(t.study(), part_of(d, "at"))) {
      const auto* v = std::get_if<double>(&f.value);
      at += (at.empty() ? "" : ", ") + f.title + " " + (v ? pretty(*v, 5) : std::get<std::string>(f.value));
    }
    t.say(fmt::format("At {}: {} in specification ({} at {:.0f} %), from {:.0f} draws by {}.", at,
                      share_text(number_in(d, "yield")), share_range(b.low, b.high), 100 * level_in(d),
                      number_in(d, "samples"), text_in(d, "method")));
    t.tell_found(*tolerance);
  }
  if (window) {
    t.part("The operating window");
    t.tell_found(*window);
  }
}

}  // namespace renth
