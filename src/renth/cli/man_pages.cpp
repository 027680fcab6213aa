// Manual pages from the same text as --help: a hidden verb, called when renth is installed.
#include <algorithm>
#include <filesystem>
#include <renth/cli/cli.hpp>
#include <renth/table/whole_file.hpp>
#include <renth/version.hpp>

namespace renth::cli {
namespace {

/// Text for troff: what it would take for commands stands as it is.
std::string troff(const std::string& text) {
  std::string out;
  bool begins = true;
  for (const char c : text) {
    if (begins && c == ' ') continue;
    if (begins && (c == '.' || c == '\'')) out += "\\&";
    if (c == '\\')
      out += "\\e";
    else if (c == '-')
      out += "\\-";
    else
      out += c;
    begins = c == '\n';
  }
  return out;
}

std::string option_entry(const CLI::Option& o) {
  std::string names;
  for (const std::string& s : o.get_snames()) names += (names.empty() ? "" : ", ") + ("\\-" + s);
  for (const std::string& l : o.get_lnames()) names += (names.empty() ? "" : ", ") + ("\\-\\-" + troff(l));
  if (names.empty()) names = troff(o.get_name());
  // A list in a description is a paragraph a line.
  std::string text = troff(o.get_description());
  for (std::size_t at = 0; (at = text.find('\n', at)) != std::string::npos; at += 5)
    text.replace(at, 1, "\n.br\n");
  return ".TP\n\\fB" + names + "\\fR" +
         (o.get_items_expected_max() > 0 && !o.get_positional() ? " \\fIVALUE\\fR" : "") + "\n" + text + "\n";
}

std::string page(const std::string& name, const std::string& title, const std::string& summary,
                 const std::string& synopsis, const CLI::App& app) {
  std::string out = ".TH \"" + title + "\" \"1\" \"\" \"renth " + version + "\" \"Renth\"\n.SH NAME\n" +
                    name + " \\- " + troff(summary) + "\n.SH SYNOPSIS\n" + synopsis + "\n";
  std::string options;
  for (const CLI::Option* o : app.get_options()) options += option_entry(*o);
  if (!options.empty()) out += ".SH OPTIONS\n" + options;
  return out;
}

const char* const exit_status_text =
    ".SH EXIT STATUS\n0 done, 1 the answer needs a human, 2 the request is wrong, 3 the solver failed for "
    "some run, "
    "4 the store or the machine failed\n";

}  // namespace

std::function<int()> declare_man_pages(CLI::App& app, Globals&) {
  auto folder = std::make_shared<std::string>();
  app.group("");
  app.add_option("DIR", *folder, "where they are written")->required();
  const CLI::App* root = app.get_parent();
  return [folder, root] {
    std::filesystem::create_directories(*folder);
    std::string all = page("renth", "RENTH", "plans, surrogates, sensitivity, optima and yield of a solver",
                           "\\fBrenth\\fR \\fIVERB\\fR [\\fIOPTION\\fR]...", *root) +
                      ".SH VERBS\n";
    for (const Verb& v : verbs()) {
      if (!*v.summary) continue;
      all += ".TP\n\\fB" + troff(v.name) + "\\fR\n" + troff(v.summary) + "\n";
      std::string upper = "RENTH-" + std::string(v.name);
      std::transform(upper.begin(), upper.end(), upper.begin(),
                     [](unsigned char c) { return char(std::toupper(c)); });
      write_whole_file(
          *folder + "/renth-" + v.name + ".1",
          page("renth\\-" + troff(v.name), upper, v.summary,
               "\\fBrenth " + troff(v.name) + "\\fR [\\fIOPTION\\fR]...", *root->get_subcommand(v.name)) +
              exit_status_text + ".SH SEE ALSO\n.BR renth (1)\n");
    }
    write_whole_file(*folder + "/renth.1", all + exit_status_text);
    return 0;
  };
}

}  // namespace renth::cli
