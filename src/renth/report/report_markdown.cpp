#include <fmt/format.h>

#include <renth/report/report.hpp>

namespace renth {
namespace {

/// Words of people that Markdown would take for marks.
std::string plain(const std::string& text) {
  std::string out;
  for (const char c : text) {
    if (c == '\n')
      out += ' ';
    else {
      if (std::string_view("\\`*_<>[]#|").find(c) != std::string_view::npos) out += '\\';
      out += c;
    }
  }
  return out;
}

struct MarkdownWriter {
  std::string& out;
  const std::string& folder;
  void operator()(const Heading& h) {
    out += std::string(std::size_t(h.level), '#') + " " + plain(h.text) + "\n\n";
  }
  void operator()(const Paragraph& p) {
    out += (p.warning ? "> **" + plain(p.text) + "**" : plain(p.text)) + "\n\n";
  }
  void operator()(const Sentences& s) {
    for (const std::string& item : s.items) out += "- " + plain(item) + "\n";
    out += "\n";
  }
  void operator()(const NamedTable& t) { out += tables_in(TableForm::markdown, {t}) + "\n"; }
  void operator()(const Picture& p) {
    out += fmt::format("![{}]({}/{}{})\n\n{}\n\n", plain(p.finding), folder, p.name, p.png ? ".png" : ".svg",
                       plain(p.caption));
  }
  void operator()(const Listing& l) {
    std::string fence = "```";
    while (l.text.find(fence) != std::string::npos) fence += '`';
    out += fence + "\n" + l.text + (l.text.ends_with('\n') ? "" : "\n") + fence + "\n\n";
  }
};

}  // namespace

std::string report_markdown(const Report& report, const std::string& folder) {
  std::string out = "# " + plain(report.title) + "\n\n" +
                    plain(report.author.empty() ? report.date : report.author + ", " + report.date) + "\n\n";
  MarkdownWriter writer{out, folder};
  for (const Block& block : report.blocks) std::visit(writer, block);
  return out + "Written by renth " + report.version +
         " from the study alone; predicted numbers are marked as such.\n";
}

}  // namespace renth
