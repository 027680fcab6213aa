#include <fmt/format.h>

#include <renth/numeric/base64.hpp>
#include <renth/report/escape.hpp>
#include <renth/report/report.hpp>
#include <renth/solver/digest.hpp>

namespace renth {
namespace {

constexpr std::string_view style = R"css(
.report { font: 11pt/1.45 "Liberation Sans", Arial, sans-serif; color: #22303c; background: #fff; max-width: 46em; margin: 0 auto; padding: 2em 1em; }
.report h1 { font-size: 22pt; line-height: 1.2; margin: 0 0 .2em; } .report h2 { font-size: 15pt; margin: 1.8em 0 .5em; padding-bottom: .15em; border-bottom: 2px solid #1c4f82; }
.report h3 { font-size: 12pt; margin: 1.3em 0 .4em; } .report p { margin: .5em 0; } .report .by { color: #5b6670; margin: 0 0 1.2em; }
.report .warning { border-left: 5px solid #b0472f; background: #fbeeea; color: #22303c; border-radius: 0; padding: .4em .8em; margin: .5em 0; }
.report ul { margin: .4em 0; padding-left: 1.3em; } .report li { margin: .2em 0; }
.report table { border-collapse: collapse; margin: .8em 0 1em; font-size: 9pt; font-variant-numeric: tabular-nums; }
.report caption { text-align: left; font-weight: bold; padding-bottom: .3em; } .report th, .report td { padding: .18em .6em; border-bottom: 1px solid #dde3e8; text-align: left; vertical-align: top; }
.report th { border-bottom: 1.5px solid #22303c; } .report td.n, .report th.n { text-align: right; white-space: nowrap; }
.report figure { margin: 1em 0; } .report figure img { width: 100%; height: auto; } .report figcaption { font-size: 9.5pt; color: #5b6670; }
.report pre { font: 8.5pt/1.35 "Liberation Mono", monospace; background: #f5f7f9; padding: .7em .9em; white-space: pre-wrap; overflow-wrap: anywhere; }
.report .contents ol { columns: 2; font-size: 10pt; } .report .wide { overflow-x: auto; }
.report + #page header h1 { display: none; }
@page { size: A4; margin: 18mm 16mm; }
@media print {
  .report { max-width: none; padding: 0; font-size: 10pt; } .report h2, .report h3, .report caption { break-after: avoid; } .report figure, .report tr { break-inside: avoid; }
  .report .wide { overflow: visible; } .report thead { display: table-header-group; } .report .warning { background: none; } .report .contents { display: none; } .report figure img { max-height: 96mm; width: auto; max-width: 100%; }
}
)css";

/// Words between tags: a number stays with its per cent.
std::string words_of(const std::string& text) {
  std::string out = escaped_html(text);
  for (std::size_t at = 0; (at = out.find(" %", at)) != std::string::npos;) out.replace(at, 1, "\u00a0");
  return out;
}

std::string id_of(const std::string& heading) {
  std::string out;
  for (const char c : heading) {
    const bool plain = (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9');
    if (plain)
      out += c;
    else if (c >= 'A' && c <= 'Z')
      out += char(c - 'A' + 'a');
    else if (!out.empty() && out.back() != '-')
      out += '-';
  }
  return out.empty() ? "section" : out;
}

void write_table(std::string& out, const std::string& caption, const Cells& cells) {
  out += "<div class=\"wide\"><table>";
  if (!caption.empty()) out += "<caption>" + escaped_html(caption) + "</caption>";
  const auto open = [&](const char* tag, std::size_t c) {
    return fmt::format("<{}{}{}>", tag, tag[1] == 'h' ? " scope=\"col\"" : "",
                       cells.numeric[c] ? " class=\"n\"" : "");
  };
  out += "<thead><tr>";
  for (std::size_t c = 0; c < cells.header.size(); ++c)
    out += open("th", c) + escaped_html(cells.header[c]) + "</th>";
  out += "</tr></thead>\n<tbody>";
  for (const auto& row : cells.rows) {
    out += "<tr>";
    for (std::size_t c = 0; c < row.size(); ++c) {
      std::string cell = escaped_html(row[c]);
      // Decimals that others have: blanks as wide as digits.
      std::size_t blanks = 0;
      while (cells.numeric[c] && !cell.empty() && cell.back() == ' ') cell.pop_back(), ++blanks;
      cell.erase(0, cell.find_first_not_of(' '));
      for (; blanks > 0; --blanks) cell += "\u2007";
      out += open("td", c) + cell + "</td>";
    }
    out += "</tr>\n";
  }
  out += "</tbody></table></div>\n";
}

struct Writer {
  std::string& out;
  int section = 0;
  void operator()(const Heading& h) {
    const std::string id = h.level == 2 ? fmt::format(" id=\"s{}-{}\"", ++section, id_of(h.text)) : "";
    out += fmt::format("<h{0}{1}>{2}</h{0}>\n", h.level, id, escaped_html(h.text));
  }
  void operator()(const Paragraph& p) {
    out += fmt::format("<p{}>{}</p>\n", p.warning ? " class=\"warning\"" : "", words_of(p.text));
  }
  void operator()(const Sentences& s) {
    out += "<ul>\n";
    for (const std::string& item : s.items) out += "<li>" + words_of(item) + "</li>\n";
    out += "</ul>\n";
  }
  void operator()(const NamedTable& t) {
    constexpr std::size_t most = 10;  // columns that a page of A4 carries
    for (const Cells& part : split_wide(t.cells, most)) write_table(out, t.caption, part);
  }
  void operator()(const Picture& p) {
    out += fmt::format(
        "<figure><img src=\"data:image/{};base64,{}\" alt=\"{}\"><figcaption>{}</figcaption></figure>\n",
        p.png ? "png" : "svg+xml", to_base64(p.image), escaped_html(p.finding), escaped_html(p.caption));
  }
  void operator()(const Listing& l) { out += "<pre>" + escaped_html(l.text) + "</pre>\n"; }
};

std::string contents(const Report& report) {
  std::string out = "<div class=\"contents\" role=\"navigation\" aria-label=\"contents\"><ol>\n";
  int section = 0;
  for (const Block& block : report.blocks)
    if (const auto* h = std::get_if<Heading>(&block); h && h->level == 2)
      out += fmt::format("<li><a href=\"#s{}-{}\">{}</a></li>\n", ++section, id_of(h->text),
                         escaped_html(h->text));
  return out + "</ol></div>\n";
}

std::string body_of(const Report& report) {
  std::string out = fmt::format(
      "<article class=\"report\">\n<h1>{}</h1>\n<p class=\"by\">{}</p>\n", escaped_html(report.title),
      escaped_html(report.author.empty() ? report.date : report.author + ", " + report.date));
  // What was found comes before the table of contents.
  Writer writer{out};
  std::size_t at = 0;
  int sections = 0;
  for (; at < report.blocks.size(); ++at) {
    const auto* h = std::get_if<Heading>(&report.blocks[at]);
    if (h && h->level == 2 && ++sections == 2) break;
    std::visit(writer, report.blocks[at]);
  }
  if (at < report.blocks.size()) out += contents(report);
  for (; at < report.blocks.size(); ++at) std::visit(writer, report.blocks[at]);
  return out + fmt::format(
                   "<p class=\"by\">Written by renth {} from the study alone; predicted numbers are marked "
                   "as such.</p>\n</article>\n",
                   escaped_html(report.version));
}

/// What the policy of a page must know of its styles.
std::string style_hash() {
  const std::string hex = sha256(style);
  std::string bytes;
  for (std::size_t i = 0; i + 1 < hex.size(); i += 2) bytes += char(std::stoi(hex.substr(i, 2), nullptr, 16));
  return "'sha256-" + to_base64(bytes) + "'";
}

}  // namespace

std::string report_html(const Report& report) {
  return fmt::format(
             "<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"
             "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n"
             "<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'none'; img-src data:; "
             "style-src "
             "{}\">\n<title>{}</title>\n<style>{}</style>\n</head>\n<body>\n",
             style_hash(), escaped_html(report.title), style) +
         body_of(report) + "</body>\n</html>\n";
}

std::string report_with_page(const Report& report, std::string page) {
  const auto insert = [&](std::string_view before, const std::string& what) {
    const std::size_t at = page.find(before);
    if (at != std::string::npos) page.insert(at, what);
  };
  insert("<div id=\"page\">", body_of(report));
  insert("</head>", "<style>" + std::string(style) + "</style>\n");
  constexpr std::string_view styles = "style-src ";
  const std::size_t at = page.find(styles);
  if (at != std::string::npos) page.insert(at + styles.size(), style_hash() + " ");
  return page;
}

}  // namespace renth
