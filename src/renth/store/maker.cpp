#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>
#include <renth/store/maker.hpp>
#include <renth/table/whole_file.hpp>

namespace renth {
namespace {

using nlohmann::json;
using Kind = SolverSpec::Kind;

/// Without blanks, but for those between quotes.
std::string squeezed(const std::string& text) {
  std::string out;
  char quote = 0;
  for (const char c : text) {
    if (quote == 0 && (c == ' ' || c == '\t' || c == '\n' || c == '\r')) continue;
    if (quote == 0 && (c == '"' || c == '\''))
      quote = c;
    else if (c == quote)
      quote = 0;
    out.push_back(c);
  }
  return out;
}

/// What is said of a source, and nothing that is not: what a later version can say besides makes no
/// difference to runs of today.
json source_of(const OutputSource& s) {
  static constexpr const char* forms[] = {"json", "csv", "table", "pattern", "number"};
  static constexpr const char* takes[] = {"last", "first", "max", "min", "mean", "row", "at"};
  json out = {{forms[int(s.form)], s.what}};
  if (!s.file.empty()) out["file"] = s.file;
  if (!s.over.empty()) out["over"] = s.over;
  if (s.take != OutputSource::Take::last) out["take"] = takes[int(s.take)];
  if (s.row != 0) out["row"] = s.row;
  if (!s.at_column.empty()) out["at"] = {{s.at_column, s.at_value}};
  if (s.skip != 0) out["skip"] = s.skip;
  return out;
}

json inputs_of(const Study& study) {
  json out = json::object();
  for (const InputFile& input : study.solver.inputs)
    if (!input.link && !input.from.empty())
      out[input.to] = fmt::format(
          "{:016x}",
          hash64(read_whole_file((study.folder / input.from).string(), "cannot read the input template",
                                 "put it back, or correct input in [solver]")));
  return out;
}

/// What of a maker one response comes from, by the word for it; empty: unknown.
using Part = std::map<std::string, std::string>;
Part part_of(const json& document, const std::string& response) {
  if (document.contains("formula")) {
    const json& all = document["formula"];
    return all.contains(response) ? Part{{"formula", all[response].dump()}} : Part{};
  }
  if (document.contains("function")) return {{"function", document["function"].dump()}};
  if (!document.contains("output") || !document["output"].contains(response)) return {};
  return {{"command", document["command"].dump()},
          {"template", document["template"].dump()},
          {"output source", document["output"][response].dump()}};
}

json parsed(const std::string& document) {
  return document.empty() ? json::object() : json::parse(document);
}

std::string difference(const Part& a, const Part& b) {
  std::string out;
  for (const auto& [word, text] : a)
    if (const auto other = b.find(word); other == b.end() || other->second != text)
      out += (out.empty() ? "" : ", ") + word;
  return out;
}

}  // namespace

std::string maker_document(const Study& study) {
  const SolverSpec& s = study.solver;
  json out;
  if (s.kind == Kind::manual && s.function.empty()) return "";
  if (s.kind == Kind::manual) {
    out["function"] = s.function;
    return out.dump();
  }
  if (s.kind == Kind::formula) {
    for (const auto& [response, expression] : s.formulas)
      out["formula"][response] = squeezed(expression->text());
    return out.dump();
  }
  out["command"] = s.command;
  out["template"] = inputs_of(study);
  for (const auto& [response, source] : s.sources) {
    out["output"][response] = source_of(source);
    if (source.file.empty()) out["output"][response]["file"] = s.output_file;
  }
  return out.dump();
}

Makers::Makers(Session& session)
    : session_(session), today_(maker_document(session.study)), today_parsed_(parsed(today_)) {
  for (const auto& [id, document] : session.store.makers()) {
    const json& known = known_[id] = parsed(document);
    for (const Response& r : session.study.responses) {
      const Part part = r.derive ? Part{} : part_of(known, r.name);
      if (!today_.empty() && !part.empty() && part != part_of(today_parsed_, r.name)) other_.insert(id);
    }
  }
}

std::vector<MadeAlike> Makers::of(const Response& response, const std::vector<std::int64_t>& ids) const {
  const RunTable& runs = session_.runs();
  std::map<std::int64_t, Part> parts;
  for (const auto& [id, document] : known_) parts[id] = part_of(document, response.name);
  const Part today = part_of(today_parsed_, response.name);
  std::vector<std::pair<Part, MadeAlike>> groups;
  for (const std::int64_t id : ids) {
    const auto row = std::lower_bound(runs.ids.begin(), runs.ids.end(), id);
    if (row == runs.ids.end() || *row != id) continue;
    const auto part = parts.find(runs.makers[std::size_t(row - runs.ids.begin())]);
    if (part == parts.end() || part->second.empty()) continue;
    auto group = std::find_if(groups.begin(), groups.end(),
                              [&](const auto& known) { return known.first == part->second; });
    if (group == groups.end()) {
      MadeAlike made{part->second == today, difference(part->second, today), {}};
      group = groups.insert(groups.end(), {part->second, std::move(made)});
    }
    group->second.runs.push_back(id);
  }
  if (today_.empty() && groups.size() == 1) groups[0].second.today = true;
  std::vector<MadeAlike> out;
  for (auto& [part, group] : groups) out.push_back(std::move(group));
  return out;
}

}  // namespace renth
