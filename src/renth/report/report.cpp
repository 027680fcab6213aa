#include <fmt/format.h>

#include <algorithm>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/document/kept_tables.hpp>
#include <renth/document/parts.hpp>
#include <renth/document/wording.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/report/telling.hpp>
#include <renth/workflow/logging.hpp>

namespace renth {
namespace {

struct Section {
  ReportSection named;
  void (*tell)(Telling&);
};
const std::vector<Section>& sections() {
  static const std::vector<Section> all = {{{"summary", "What was asked, and what was found"}, tell_summary},
                                           {{"study", "The study"}, tell_study},
                                           {{"plan", "The plan"}, tell_plan},
                                           {{"runs", "The runs"}, tell_runs},
                                           {{"surrogates", "The surrogates"}, tell_surrogates},
                                           {{"ranking", "What matters"}, tell_ranking},
                                           {{"shapes", "How responses move"}, tell_shapes},
                                           {{"proposals", "Settings found"}, tell_proposals},
                                           {{"production", "In production"}, tell_production},
                                           {{"appendix", "Appendix"}, tell_appendix}};
  return all;
}

std::vector<Found> found_of(Session& session) {
  std::vector<Found> out;
  const std::uint64_t now = session.data_state();
  for (const KeptResult& r : session.store.results()) {
    Found one{r.verb, r.variant, r.date, nlohmann::json::parse(r.document, nullptr, false), {}, false};
    if (!one.document.is_object()) continue;
    if (r.options.is_array())
      for (const auto& word : r.options)
        if (word.is_string() && word != "--json" && word != "-q")
          one.words.push_back(word.get<std::string>());
    // What a run came to beside what was predicted then stays so, too.
    one.out_of_date = !result_lasts(r.verb) && r.verb != "confirm" && r.state != now;
    out.push_back(std::move(one));
  }
  return out;
}

/// Responses shown at length: those named, else those with a goal or a limit, else all; not too many.
std::vector<std::string> shown_of(const Study& study, const ReportOptions& options) {
  if (!options.responses.empty()) {
    for (const std::string& name : options.responses)
      if (study.response(name) < 0) refuse_unknown("response", name, "--responses", study.response_names());
    return options.responses;
  }
  std::vector<std::string> wished, all;
  for (const Response& r : study.responses) {
    if (!r.derive) all.push_back(r.name);
    if (r.goal || r.accept.any()) wished.push_back(r.name);
  }
  constexpr std::size_t most = 6;
  std::vector<std::string> out = wished.empty() ? all : wished;
  if (out.size() > most) out.resize(most);
  return out;
}

std::optional<TrustResult> trust_of(Session& session, double level) {
  try {
    TrustOptions options;
    options.level = level;
    options.learning = TrustOptions::Learning::never;
    // Of those that are fitted, even where others are not.
    for (const Response& r : session.study.responses)
      if (!r.derive && session.store.fitted_id(r.name) > 0) options.responses.push_back(r.name);
    if (options.responses.empty()) return std::nullopt;
    return trust_responses(session, options);
  } catch (const Error&) {  // surrogates of another study file
    return std::nullopt;
  }
}

/// Draws all pictures that were asked for, on all cores; what cannot be drawn is left out.
void draw_pictures(Telling& t, Notes& notes) {
  constexpr std::size_t large = 300'000;  // bytes: thousands of points are smaller as dots of a raster
  std::vector<std::optional<Gnuplot>> made(t.to_draw.size());
  std::vector<std::string> failed(t.to_draw.size());
  for (std::size_t i = 0; i < made.size(); ++i) {
    try {
      Notes own;  // said in words beside the picture already
      made[i] = make_figure(t.session, t.to_draw[i].second, own);
    } catch (const Error& e) {
      failed[i] = e.problem();
    }
  }
  parallel_for(std::int64_t(made.size()), [&](std::int64_t i) {
    if (!made[std::size_t(i)]) return;
    try {
      Picture& picture = std::get<Picture>(t.report.blocks[t.to_draw[std::size_t(i)].first]);
      picture.image = made[std::size_t(i)]->drawn("picture.svg");
      picture.png = picture.image.size() > large;
      if (picture.png) picture.image = made[std::size_t(i)]->drawn("picture.png");
    } catch (const Error& e) {
      failed[std::size_t(i)] = e.problem();
    }
  });
  for (std::size_t i = made.size(); i-- > 0;) {
    if (failed[i].empty()) continue;
    add_note(notes, "not_drawn", t.to_draw[i].second.figure + " could not be drawn: " + failed[i]);
    t.report.blocks.erase(t.report.blocks.begin() + std::ptrdiff_t(t.to_draw[i].first));
  }
}

}  // namespace

const std::vector<ReportSection>& report_sections() {
  static const std::vector<ReportSection> names = [] {
    std::vector<ReportSection> out;
    for (const Section& s : sections()) out.push_back(s.named);
    return out;
  }();
  return names;
}

const Found* Telling::of(const std::string& verb) const {
  const Found* out = nullptr;
  for (const Found& f : found)
    if (f.verb == verb && (!out || f.date >= out->date)) out = &f;
  return out;
}

bool Telling::is_shown(const std::string& response) const {
  return std::find(shown.begin(), shown.end(), response) != shown.end();
}

const TrustResult::OfResponse* Telling::trust_in(const std::string& response) const {
  if (trust)
    for (const auto& one : trust->responses)
      if (one.model.response == response) return &one;
  return nullptr;
}

void Telling::picture(DrawingOptions asked, std::string caption, std::string finding) {
  asked.level = options.level;
  to_draw.emplace_back(report.blocks.size(), std::move(asked));
  report.blocks.push_back(Picture{fmt::format("{:02}-{}", to_draw.size(), to_draw.back().second.figure), "",
                                  false, std::move(caption), std::move(finding)});
}

void Telling::tell_found(const Found& one) {
  if (one.out_of_date)
    warn("This was found before runs, surrogates or the study file changed. To find it anew: " +
         as_typed([&] {
           std::vector<std::string> words = {"renth"};
           words.insert(words.end(), one.words.begin(), one.words.end());
           return words;
         }()));
  for (NamedTable& named : tables_of(study(), one.verb, one.document))
    table(std::move(named.caption), std::move(named.cells));
  std::vector<std::string> notes;
  for (const Kept& n : part_of(one.document, "notes")) notes.push_back(text_in(n, "text"));
  list(std::move(notes));
}

std::string listed_words(const std::vector<std::string>& words) {
  std::string out;
  for (std::size_t i = 0; i < words.size(); ++i)
    out += (i == 0 ? "" : i + 1 == words.size() ? " and " : ", ") + words[i];
  return out;
}

Report report_of(Session& session, const ReportOptions& options, Notes& notes) {
  std::vector<std::string> known;
  for (const ReportSection& s : report_sections()) known.push_back(s.name);
  for (const std::string& name : options.sections)
    if (std::find(known.begin(), known.end(), name) == known.end())
      refuse_unknown("section", name, "--sections", known);
  Report report;
  report.title = options.title.empty() ? session.study.name : options.title;
  report.author = options.author;
  report.version = options.version;
  Telling t{session,
            options,
            report,
            session.store.runs(),
            trust_of(session, options.level),
            found_of(session),
            shown_of(session.study, options),
            {}};
  for (const Found& f : t.found) report.date = std::max(report.date, f.date);
  report.date = report.date.substr(0, report.date.find('T'));
  for (const Section& s : sections())
    if (options.sections.empty() ||
        std::find(options.sections.begin(), options.sections.end(), s.named.name) != options.sections.end())
      s.tell(t);
  draw_pictures(t, notes);
  if (t.trust) add_notes(notes, t.trust->notes);
  return report;
}

}  // namespace renth
