// What may come next on a command line, for the completions of shells (completions/): a hidden verb.
#include <algorithm>
#include <map>
#include <renth/base/error.hpp>
#include <renth/cli/cli.hpp>
#include <renth/report/report.hpp>
#include <renth/workflow/named_settings.hpp>

namespace renth::cli {
namespace {

/// A word that may come next, and what it is.
using Candidate = std::pair<std::string, std::string>;
using Candidates = std::vector<Candidate>;

std::string first_line(const std::string& text) {
  std::string out = text.substr(0, text.find('\n'));
  std::replace(out.begin(), out.end(), '\t', ' ');
  return out;
}

/// Names that a description lists, a line each: "  kriging: …".
Candidates named_in(const std::string& description) {
  Candidates out;
  for (std::size_t at = 0; (at = description.find("\n  ", at)) != std::string::npos; ++at) {
    const std::size_t from = at + 3, colon = description.find(": ", from);
    if (colon == std::string::npos) break;
    const std::string name = description.substr(from, colon - from);
    if (name.find_first_of(" \n") == std::string::npos)
      out.emplace_back(name, first_line(description.substr(colon + 2)));
  }
  return out;
}

/// Words that an option is checked against: "TEXT:{fit,check}".
Candidates checked_against(const CLI::Option& option) {
  Candidates out;
  const std::string type = option.get_type_name();
  const std::size_t open = type.find('{'), close = type.find('}');
  if (open == std::string::npos || close == std::string::npos) return out;
  std::string word;
  for (std::size_t i = open + 1; i <= close; ++i) {
    if (type[i] != ',' && type[i] != '}') {
      word += type[i];
      continue;
    }
    if (!word.empty()) out.emplace_back(word, "");
    word.clear();
  }
  return out;
}

/// What the values of an option are names of.
enum class Named { nothing, response, parameter, setting, batch, proposal, mark, scenario, section };
Named named_by(const std::string& option) {
  static const std::map<std::string, Named> of = {{"--response", Named::response},
                                                  {"--responses", Named::response},
                                                  {"--maximise", Named::response},
                                                  {"--minimise", Named::response},
                                                  {"--then-maximise", Named::response},
                                                  {"--then-minimise", Named::response},
                                                  {"--x", Named::parameter},
                                                  {"--y", Named::parameter},
                                                  {"--by", Named::parameter},
                                                  {"--at", Named::setting},
                                                  {"--hold", Named::setting},
                                                  {"--set", Named::setting},
                                                  {"--span", Named::setting},
                                                  {"--centre-at", Named::setting},
                                                  {"--batch", Named::batch},
                                                  {"--of", Named::batch},
                                                  {"--include", Named::batch},
                                                  {"BATCH", Named::batch},
                                                  {"--proposal", Named::proposal},
                                                  {"--mark", Named::mark},
                                                  {"--remove", Named::mark},
                                                  {"--scenario", Named::scenario},
                                                  {"--sections", Named::section}};
  const auto found = of.find(option);
  return found == of.end() ? Named::nothing : found->second;
}

/// Names of the study; none where there is no study, or it is wrong.
Candidates names_of(Named what, const std::string& folder) {
  Candidates out;
  if (what == Named::section)
    for (const ReportSection& s : report_sections()) out.emplace_back(s.name, s.title);
  if (what == Named::nothing || what == Named::section ||
      !std::filesystem::exists(std::filesystem::path(folder) / "study.toml"))
    return out;
  try {
    Session session(folder);
    const Study& study = session.study;
    if (what == Named::response)
      for (const Response& r : study.responses) out.emplace_back(r.name, with_unit(r.title(), r.unit));
    if (what == Named::parameter || what == Named::setting)
      for (const Parameter& p : study.space.parameters())
        out.emplace_back(p.name + (what == Named::setting ? "=" : ""), with_unit(p.title(), p.unit));
    if (what == Named::batch)
      for (const Batch& b : session.store.batches()) out.emplace_back(b.name, b.use + ", " + b.method);
    if (what == Named::proposal)
      for (const StoredProposal& p : session.store.proposals())
        out.emplace_back(proposal_name(p), "proposal");
    if (what == Named::mark)
      for (const StoredMark& m : session.store.marks()) out.emplace_back(m.name, "mark");
    if (what == Named::scenario)
      for (const Scenario& s : study.scenarios) out.emplace_back(s.name, "scenario");
  } catch (const Error&) {
  }
  return out;
}

/// The option of a verb, or of all, that a word names.
const CLI::Option* option_named(const CLI::App& verb, const std::string& word) {
  for (const CLI::App* app : {&verb, verb.get_parent()})
    if (app && word.starts_with("-"))
      for (const CLI::Option* o : app->get_options())
        if (o->check_name(word)) return o;
  return nullptr;
}

Candidates options_of(const CLI::App& verb) {
  Candidates out;
  for (const CLI::App* app : {&verb, verb.get_parent()})
    for (const CLI::Option* o : app ? app->get_options() : std::vector<const CLI::Option*>{})
      for (const std::string& name : o->get_lnames())
        out.emplace_back("--" + name, first_line(o->get_description()));
  return out;
}

/// What the next positional word of a verb may be.
Candidates positionals_of(const CLI::App& verb, std::size_t given, const std::string& folder) {
  std::size_t place = 0;
  for (const CLI::Option* o : verb.get_options()) {
    if (!o->get_positional()) continue;
    if (place++ < given && o->get_items_expected_max() < 2) continue;
    Candidates out = named_in(o->get_description());
    for (Candidate& c : checked_against(*o)) out.push_back(std::move(c));
    if (verb.get_name() == "draw") out.emplace_back("all", "every figure that the study has");
    for (Candidate& c : names_of(named_by(o->get_name()), folder)) out.push_back(std::move(c));
    return out;
  }
  return {};
}

Candidates candidates(const CLI::App& root, const std::vector<std::string>& words) {
  const std::vector<std::string> before(words.begin(), words.end() - 1);
  const CLI::App* verb = nullptr;
  std::string folder = ".";
  std::size_t given = 0;
  const CLI::Option* open = nullptr;  // an option whose value is to come
  for (const std::string& word : before) {
    if (open) {
      if (open->check_name("--study")) folder = word;
      open = nullptr;
    } else if (word.starts_with("-")) {
      const CLI::Option* o = option_named(verb ? *verb : root, word);
      if (o && o->get_items_expected_max() > 0) open = o;
    } else if (!verb) {
      const auto found = root.get_subcommands([&](const CLI::App* a) { return a->get_name() == word; });
      if (found.empty()) return {};
      verb = found.front();
    } else {
      ++given;
    }
  }
  if (open) {
    Candidates out = checked_against(*open);
    if (out.empty())
      for (const std::string& name : open->get_lnames()) out = names_of(named_by("--" + name), folder);
    return out;
  }
  if (words.back().starts_with("-")) return options_of(verb ? *verb : root);
  if (verb) return positionals_of(*verb, given, folder);
  Candidates out;
  for (const Verb& v : verbs())
    if (*v.summary) out.emplace_back(v.name, v.summary);
  return out;
}

/// Of a list, such as "power,lo", what comes after the last comma is completed.
std::size_t where_the_word_begins(const std::string& word) {
  const std::size_t comma = word.rfind(',');
  return comma == std::string::npos ? 0 : comma + 1;
}

}  // namespace

std::function<int()> declare_complete(CLI::App& app, Globals&) {
  auto words = std::make_shared<std::vector<std::string>>();
  app.group("");  // not in the help
  app.add_option("WORDS", *words, "the words so far, the last one not finished");
  const CLI::App* root = app.get_parent();
  return [words, root] {
    if (words->empty()) words->push_back("");
    const std::string& last = words->back();
    const std::size_t from = where_the_word_begins(last);
    for (const auto& [word, what] : candidates(*root, *words))
      if (word.starts_with(last.substr(from))) print("{}{}\t{}\n", last.substr(0, from), word, what);
    return 0;
  };
}

}  // namespace renth::cli
