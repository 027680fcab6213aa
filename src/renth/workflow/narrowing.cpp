#include <fmt/format.h>

#include <algorithm>
#include <fstream>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/table/whole_file.hpp>
#include <renth/workflow/narrowing.hpp>
#include <renth/workflow/new_folder.hpp>
#include <renth/workflow/ranking.hpp>
#include <set>
#include <sstream>

namespace renth {
namespace {

namespace fs = std::filesystem;

std::string trimmed(const std::string& line) {
  const auto from = line.find_first_not_of(" \t"), to = line.find_last_not_of(" \t\r");
  return from == std::string::npos ? "" : line.substr(from, to - from + 1);
}

/// The key that a line sets; empty if it sets none.
std::string key_of(const std::string& line) {
  const std::string text = trimmed(line);
  const auto equals = text.find('=');
  return text.empty() || text[0] == '#' || equals == std::string::npos ? "" : trimmed(text.substr(0, equals));
}

/// How many brackets a line opens beyond those that it closes, texts and remarks aside.
int brackets(const std::string& line) {
  int open = 0;
  char quote = 0;
  for (std::size_t i = 0; i < line.size(); ++i) {
    const char c = line[i];
    if (quote) {
      if (c == '\\' && quote == '"') ++i;
      if (c == quote) quote = 0;
    } else if (c == '"' || c == '\'') {
      quote = c;
    } else if (c == '#') {
      break;
    } else {
      open += (c == '[' || c == '{') - (c == ']' || c == '}');
    }
  }
  return open;
}

/// The text in quotes that a line sets.
std::string text_of(const std::string& line) {
  const std::string value = trimmed(line.substr(line.find('=') + 1));
  if (value.size() < 2 || (value[0] != '"' && value[0] != '\'')) return "";
  return value.substr(1, value.find(value[0], 1) - 1);
}

/// A block of lines of one parameter, fixed if it is to be.
std::vector<std::string> fixed_block(const std::vector<std::string>& block,
                                     const std::map<std::string, std::string>& values,
                                     const std::string& remark, std::set<std::string>& seen) {
  std::string name;
  for (const std::string& line : block)
    if (key_of(line) == "name") name = text_of(line);
  const auto found = values.find(name);
  if (found == values.end()) return block;
  seen.insert(name);
  std::vector<std::string> out;
  int open = 0;
  bool written = false;
  for (std::size_t i = 0; i < block.size(); ++i) {
    const std::string& line = block[i];
    const std::string key = key_of(line);
    const bool goes_on = open > 0;
    const bool stays =
        i == 0 || key == "name" || key == "label" || key == "unit" || (!goes_on && key.empty());
    if (i > 0) open = std::max(0, open + brackets(line));
    if (stays && !goes_on) {
      out.push_back(line);
    } else if (!written) {
      out.push_back(fmt::format("fixed = {}   # {}", found->second, remark));
      written = true;
    }
  }
  return out;
}

void copy_files(const fs::path& from, const fs::path& to) {
  for (const auto& entry : fs::directory_iterator(from)) {
    const std::string name = entry.path().filename().string();
    if (name == "study.toml" || name.rfind("study.db", 0) == 0 || name == "study.lock" || name == "runs")
      continue;
    if (fs::exists(to) && fs::equivalent(entry.path(), to)) continue;
    fs::copy(entry.path(), to / name, fs::copy_options::recursive);
  }
}

/// The value at which a parameter is fixed, as TOML writes it, and as a setting.
std::pair<std::string, Value> nominal_of(const Parameter& p) {
  if (!p.is_choice()) return {fmt::format("{}", p.nominal), Value(p.nominal)};
  const std::string& choice = p.choices[std::size_t(p.nominal)];
  std::string quoted = "\"";
  for (const char c : choice) quoted += c == '"' || c == '\\' ? std::string("\\") + c : std::string(1, c);
  return {quoted + "\"", Value(choice)};
}

/// All runs of one study into another, with these settings fixed.
int bring_runs(Session& from, Session& to, const std::map<std::string, Value>& fixed) {
  int count = 0;
  to.store.transaction([&] {
    for (const Batch& b : from.store.batches()) to.store.add_batch(b, {});
    std::map<std::int64_t, std::int64_t> makers = {{0, 0}};
    for (const auto& [id, document] : from.store.makers()) makers[id] = to.store.maker(document);
    for (Run run : from.store.runs()) {
      if (run.status == RunStatus::running) continue;
      for (const auto& [name, value] : fixed) run.settings[name] = value;
      to.store.take_in(run.id, run);
      to.store.set_outputs(run.id, run.responses);
      to.store.set_status(run.id, run.status, run.message, run.seconds, run.attempts, makers[run.maker]);
      if (run.set_aside) to.store.set_aside(run.id, "", run.set_aside);
      for (const auto& [response, why] : run.response_set_aside) to.store.set_aside(run.id, response, why);
      ++count;
    }
  });
  return count;
}

}  // namespace

std::string with_fixed(const std::string& text, const std::map<std::string, std::string>& values,
                       const std::string& remark) {
  std::vector<std::string> lines, block;
  std::istringstream in(text);
  std::string out;
  std::set<std::string> seen;
  bool parameter = false;
  const auto flush = [&] {
    for (const std::string& line : parameter ? fixed_block(block, values, remark, seen) : block)
      out += line + "\n";
    block.clear();
  };
  int open = 0;
  for (std::string line; std::getline(in, line);) {
    const std::string head = trimmed(line);
    if (open == 0 && head.rfind("[", 0) == 0) {
      flush();
      parameter = head.rfind("[[parameter]]", 0) == 0;
    } else {
      open = std::max(0, open + brackets(line));
    }
    block.push_back(line);
  }
  flush();
  for (const auto& [name, value] : values)
    if (!seen.contains(name))
      throw Error(fmt::format("{} is not written as a [[parameter]] of its own", name), "study.toml",
                  fmt::format("write it so, or copy the study by hand and write fixed = {}", value));
  return out;
}

NarrowedStudy screened_study(const fs::path& folder, const fs::path& from, double threshold) {
  Session source(from);
  const RankResult ranked = rank_responses(source, {.method = "shares", .screen = threshold});
  const Screening& screen = *ranked.screen;
  NarrowedStudy out;
  out.fixed = screen.fix;
  out.undecided = screen.undecided;
  out.notes = ranked.notes;
  const std::string at = fmt::format("{:g} % of the variance", 100 * threshold);
  if (out.fixed.empty())
    throw Error(fmt::format("no parameter is certainly below {} for every response{}", at,
                            out.undecided.empty() ? "" : "; perhaps " + listed(out.undecided)),
                from.string(),
                "renth rank --screen shows the intervals; add runs, or ask for a larger share");
  if (Eigen::Index(out.fixed.size()) == source.study.space.size())
    throw Error(fmt::format("every parameter is below {}: nothing would vary", at), from.string(),
                "ask for a smaller share");
  std::map<std::string, std::string> texts;
  std::map<std::string, Value> values;
  for (const std::string& name : out.fixed) {
    const auto [text, value] = nominal_of(source.study.space[*source.study.space.find(name)]);
    texts[name] = text;
    values[name] = value;
  }
  std::ifstream file(from / "study.toml", std::ios::binary);
  std::ostringstream text;
  text << file.rdbuf();
  const std::string made =
      with_fixed(text.str(), texts, fmt::format("below {} for every response of {}", at, from.string()));
  new_folder(folder);
  copy_files(from, folder);
  write_whole_file(folder / "study.toml", [&](std::ostream& stream) { stream << made; });
  Session target(folder);
  out.runs = bring_runs(source, target, values);
  return out;
}

}  // namespace renth
