// What the sections of a report are told from.
#pragma once
#include <map>
#include <nlohmann/json.hpp>
#include <optional>
#include <renth/document/kept_figures.hpp>
#include <renth/figure/drawing.hpp>
#include <renth/report/report.hpp>
#include <renth/workflow/listing.hpp>
#include <renth/workflow/trusting.hpp>
#include <string>
#include <vector>

namespace renth {

/// What a verb found last.
struct Found {
  std::string verb, variant, date;
  nlohmann::json document;
  std::vector<std::string> words;  ///< the command
  bool out_of_date = false;
};

struct Telling {
  Session& session;
  const ReportOptions& options;
  Report& report;
  std::vector<Run> runs;
  std::optional<TrustResult> trust;  ///< none: nothing is fitted
  std::vector<Found> found;
  std::vector<std::string> shown;  ///< responses at length
  /// Pictures that are still to be drawn, by the number of their block.
  std::vector<std::pair<std::size_t, DrawingOptions>> to_draw;

  const Study& study() const { return session.study; }
  /// The last of a verb; nullptr: it was never asked.
  const Found* of(const std::string& verb) const;
  bool is_shown(const std::string& response) const;
  const TrustResult::OfResponse* trust_in(const std::string& response) const;

  void section(const std::string& title) { report.blocks.push_back(Heading{2, title}); }
  void part(const std::string& title) { report.blocks.push_back(Heading{3, title}); }
  void say(std::string text) { report.blocks.push_back(Paragraph{std::move(text), false}); }
  void warn(std::string text) { report.blocks.push_back(Paragraph{std::move(text), true}); }
  void list(std::vector<std::string> items) {
    if (!items.empty()) report.blocks.push_back(Sentences{std::move(items)});
  }
  void table(std::string caption, Cells cells) {
    if (!cells.rows.empty()) report.blocks.push_back(NamedTable{std::move(caption), std::move(cells)});
  }
  /// \param finding  what the picture says, for those who do not see it.
  void picture(DrawingOptions asked, std::string caption, std::string finding);
  /// What a verb found: when it is out of date that, its tables, its notes.
  void tell_found(const Found& found);
};

/// Each adds its section, or nothing where there is nothing to tell.
void tell_summary(Telling& t);
void tell_study(Telling& t);
void tell_plan(Telling& t);
void tell_runs(Telling& t);
void tell_surrogates(Telling& t);
void tell_ranking(Telling& t);
void tell_shapes(Telling& t);
void tell_proposals(Telling& t);
void tell_production(Telling& t);
void tell_appendix(Telling& t);

/// "annual mean power: as large as possible, at least 20 kW"; empty without goal and limit.
std::string wish_of(const Study& study, const Response& response);
/// A list as people write it: "a, b and c".
std::string listed_words(const std::vector<std::string>& words);

}  // namespace renth
