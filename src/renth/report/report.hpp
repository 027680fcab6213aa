// A study told for somebody who must be able to believe it: what it says, apart from how it is written.
#pragma once
#include <renth/document/table_forms.hpp>
#include <renth/store/session.hpp>
#include <string>
#include <variant>
#include <vector>

namespace renth {

struct Heading {
  int level = 2;  ///< 2: a section, 3: within one
  std::string text;
};
struct Paragraph {
  std::string text;
  bool warning = false;
};
struct Sentences {
  std::vector<std::string> items;
};
struct Picture {
  std::string name;   ///< of a file beside a Markdown report, without its ending
  std::string image;  ///< SVG, or PNG where that would be large
  bool png = false;
  std::string caption;  ///< what is seen
  std::string finding;  ///< what it says, for those who do not see it
};
struct Listing {
  std::string text;  ///< as it is: a study file, commands, an equation
};
using Block = std::variant<Heading, Paragraph, Sentences, NamedTable, Picture, Listing>;

struct Report {
  std::string title, author, version;
  std::string date;  ///< of the last thing that was done to the study
  std::vector<Block> blocks;
};

struct ReportOptions {
  std::vector<std::string> sections;  ///< of report_sections(); empty: all that there is something for
  std::vector<std::string>
      responses;              ///< shown at length; empty: those with a goal or a limit, else all, at most six
  std::string title, author;  ///< empty: the study's name, nobody
  std::string version;        ///< of the tool
  double level = 0.95;
  bool live = false;  ///< with the page's settings and slices at the end (HTML)
};

struct ReportSection {
  std::string name, title;
};
/// In the order in which they come.
const std::vector<ReportSection>& report_sections();

/// What the verbs found last, with what is out of date; nothing is worked out anew but the pictures.
/// \throws Error  an unknown section or response.
Report report_of(Session& session, const ReportOptions& options, Notes& notes);

/// One HTML file without scripts that asks for nothing, for the screen and for A4.
std::string report_html(const Report& report);

/// The same with a page (page_html() of one view) after it.
std::string report_with_page(const Report& report, std::string page);

/// Markdown; its pictures are named as lying in `folder`.
std::string report_markdown(const Report& report, const std::string& folder);

}  // namespace renth
