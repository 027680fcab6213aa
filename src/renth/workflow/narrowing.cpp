#include <fmt/format.h>

#include <algorithm>
#include <fstream>
#include <functional>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/table/whole_file.hpp>
#include <renth/workflow/kept_seek.hpp>
#include <renth/workflow/narrowing.hpp>
#include <renth/workflow/new_folder.hpp>
#include <renth/workflow/ranking.hpp>
#include <renth/workflow/windowing.hpp>
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

using Block = std::vector<std::string>;

/// The text of a study file with the lines of every [[parameter]] changed.
std::string with_blocks(const std::string& text, const std::function<Block(const Block&)>& changed) {
  Block block;
  std::istringstream in(text);
  std::string out;
  bool parameter = false;
  int open = 0;
  const auto flush = [&] {
    for (const std::string& line : parameter ? changed(block) : block) out += line + "\n";
    block.clear();
  };
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
  std::set<std::string> seen;
  const std::string out = with_blocks(
      text, [&](const std::vector<std::string>& block) { return fixed_block(block, values, remark, seen); });
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

namespace {

using Ends = std::map<std::string, std::pair<double, double>>;

/// The lines of one parameter with new ones for some keys, each where it stood.
std::vector<std::string> with_lines(const std::vector<std::string>& block,
                                    const std::map<std::string, std::string>& lines) {
  std::vector<std::string> out;
  int open = 0;
  bool skipping = false;
  for (std::size_t i = 0; i < block.size(); ++i) {
    const bool goes_on = open > 0;
    if (i > 0) open = std::max(0, open + brackets(block[i]));
    if (goes_on) {
      if (!skipping) out.push_back(block[i]);
      continue;
    }
    const auto found = lines.find(key_of(block[i]));
    skipping = found != lines.end();
    if (!skipping)
      out.push_back(block[i]);
    else if (!found->second.empty())
      out.push_back(found->second);
  }
  return out;
}

std::string list_text(const std::vector<double>& values, double low, double high) {
  std::string out;
  for (const double v : values)
    if (v >= low && v <= high) out += (out.empty() ? "" : ", ") + fmt::format("{}", v);
  return "[" + out + "]";
}

/// What changes in the text of a parameter whose ends become these.
std::map<std::string, std::string> lines_for(const Parameter& p, double low, double high,
                                             const std::string& remark) {
  std::map<std::string, std::string> out;
  if (p.kind == Parameter::Kind::levels) {
    out["levels"] = fmt::format("levels = {}   # {}", list_text(p.values, low, high), remark);
  } else {
    out["span"] = out["plus_minus"] = fmt::format("span = [{}, {}]   # {}", low, high, remark);
    if (!p.values.empty()) out["sizes"] = fmt::format("sizes = {}", list_text(p.values, low, high));
  }
  if (p.nominal < low || p.nominal > high) {
    Parameter left = p;
    left.low = low, left.high = high;
    std::erase_if(left.values, [&](double v) { return v < low || v > high; });
    out["nominal"] = fmt::format("nominal = {}", p.is_discrete() ? left.snap(std::clamp(p.nominal, low, high))
                                                                 : std::clamp(p.nominal, low, high));
  }
  return out;
}

std::string with_ends(const std::string& text, const Space& space, const Ends& ends,
                      const std::string& remark) {
  return with_blocks(text, [&](const Block& block) {
    std::string name;
    for (const std::string& line : block)
      if (key_of(line) == "name") name = text_of(line);
    const auto found = ends.find(name);
    const auto j = space.find(name);
    if (found == ends.end() || !j) return block;
    return with_lines(block, lines_for(space[*j], found->second.first, found->second.second, remark));
  });
}

NarrowedStudy study_within(const fs::path& folder, const fs::path& from, Session& source, Ends ends,
                           const std::string& remark) {
  NarrowedStudy out;
  std::map<std::string, std::string> fixed;
  for (auto one = ends.begin(); one != ends.end();) {
    const auto& [low, high] = one->second;
    if (low == high) {
      fixed[one->first] = fmt::format("{}", low);
      out.fixed.push_back(one->first);
      one = ends.erase(one);
    } else {
      ++one;
    }
  }
  std::ifstream file(from / "study.toml", std::ios::binary);
  std::ostringstream text;
  text << file.rdbuf();
  const std::string made = with_fixed(with_ends(text.str(), source.study.space, ends, remark), fixed, remark);
  parse_study(made, from);  // a faulty one is refused before anything is made
  new_folder(folder);
  copy_files(from, folder);
  write_whole_file(folder / "study.toml", [&](std::ostream& stream) { stream << made; });
  Session target(folder);
  out.runs = bring_runs(source, target, {});
  for (const auto& [name, both] : ends) out.narrowed.push_back(name);
  return out;
}

}  // namespace

NarrowedStudy window_study(const fs::path& folder, const fs::path& from, const std::string& name) {
  Session source(from);
  const KeptWindow window = kept_window(source, name);
  NarrowedStudy out =
      study_within(folder, from, source, window.span, "window " + name + " of " + from.string());
  std::vector<std::string> held;
  for (const auto& [parameter, value] : window.held) {
    const auto j = source.study.space.find(parameter);
    if (j && source.study.space[*j].is_choice())
      held.push_back(parameter + "=" + std::get<std::string>(value));
  }
  if (!held.empty())
    add_note(out.notes, "choices_held",
             "the window was found with " + listed(held) +
                 ", which still varies in the new study: hold it where the window matters");
  return out;
}

NarrowedStudy near_best_study(const fs::path& folder, const fs::path& from) {
  Session source(from);
  const std::optional<KeptNearBest> near = kept_near_best(source);
  if (!near)
    throw Error("the last seek found no region as good as the best, or something has changed since",
                from.string(), "renth seek");
  Ends ends;
  for (const auto& [name, both] : near->box) {
    const auto j = source.study.space.find(name);
    if (j && !source.study.space[*j].is_choice()) ends[name] = both;
  }
  return study_within(folder, from, source, std::move(ends), "as good as the best in " + from.string());
}

}  // namespace renth
