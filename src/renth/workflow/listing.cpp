#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/workflow/listing.hpp>

namespace renth {
namespace {

/// The names of a filter and their values for one run.
class Filter {
 public:
  Filter(Session& session, const std::vector<Run>& runs) : study_(session.study) {
    symbols_ = study_.parameter_symbols();
    for (const Response& r : study_.responses)
      symbols_.push_back({r.axis >= 0 ? "" : r.name, Symbol::Kind::number, {}, {}});
    symbols_.push_back({"id", Symbol::Kind::number, {}, {}});
    // Texts that occur, and those that could, so that a filter for none of them is no error.
    std::vector<std::string> batches, origins;
    for (const Batch& b : session.store.batches()) batches.push_back(b.name);
    for (const Run& r : runs) origins.push_back(r.origin);
    for (auto* list : {&batches, &origins}) {
      std::sort(list->begin(), list->end());
      list->erase(std::unique(list->begin(), list->end()), list->end());
    }
    symbols_.push_back({"batch", Symbol::Kind::choice, batches, {}});
    symbols_.push_back({"use", Symbol::Kind::choice, {"fit", "check", "confirm"}, {}});
    symbols_.push_back({"origin", Symbol::Kind::choice, origins, {}});
    symbols_.push_back({"status", Symbol::Kind::choice, {"planned", "running", "done", "failed"}, {}});
  }
  const std::vector<Symbol>& symbols() const { return symbols_; }

  std::vector<double> values(const Run& run) const {
    std::vector<double> out;
    const std::size_t parameters = symbols_.size() - 5 - study_.responses.size();
    for (std::size_t i = 0; i < parameters; ++i) {
      const auto found = run.settings.find(symbols_[i].name);
      if (found == run.settings.end())
        out.push_back(NAN);
      else if (const auto* number = std::get_if<double>(&found->second))
        out.push_back(*number);
      else
        out.push_back(index(symbols_[i], std::get<std::string>(found->second)));
    }
    for (const Response& r : study_.responses)
      out.push_back(r.axis >= 0 ? NAN : computed_value(study_, run, r).value_or(NAN));
    out.push_back(static_cast<double>(run.id));
    const std::size_t at = out.size();
    out.push_back(index(symbols_[at], run.batch));
    out.push_back(index(symbols_[at + 1], run.use));
    out.push_back(index(symbols_[at + 2], run.origin));
    out.push_back(static_cast<double>(run.status));
    return out;
  }

 private:
  static double index(const Symbol& s, const std::string& text) {
    const auto found = std::find(s.choices.begin(), s.choices.end(), text);
    return found == s.choices.end() ? NAN : static_cast<double>(found - s.choices.begin());
  }
  const Study& study_;
  std::vector<Symbol> symbols_;
};

}  // namespace

RunsResult list_runs(Session& session, const ListingOptions& options) {
  RunsResult out;
  out.runs = session.store.runs();
  const Filter filter(session, out.runs);
  if (!options.where.empty()) {
    const Expression condition(options.where, filter.symbols(), "--where");
    if (!condition.is_condition())
      throw Error("a number where a condition is needed", "--where \"" + options.where + "\"",
                  "compare it: power > 40");
    std::vector<Run> kept;
    for (Run& run : out.runs) {
      const std::vector<double> values = filter.values(run);
      bool missing = false;
      for (std::size_t i = 0; i < values.size(); ++i)
        missing = missing || (condition.uses(i) && std::isnan(values[i]));
      if (!missing && condition.holds({values.data(), nullptr})) kept.push_back(std::move(run));
    }
    out.runs = std::move(kept);
  }
  if (!options.sort.empty()) {
    const bool down = options.sort[0] == '-';
    const std::string by = options.sort.substr(down ? 1 : 0);
    const auto found = std::find_if(filter.symbols().begin(), filter.symbols().end(),
                                    [&](const Symbol& s) { return s.name == by; });
    if (by.empty() || found == filter.symbols().end())
      throw Error("nothing is called " + by, "--sort", "use id, a parameter or a response that is a number");
    const auto at = static_cast<std::size_t>(found - filter.symbols().begin());
    std::map<std::int64_t, double> key;
    for (const Run& run : out.runs) key[run.id] = filter.values(run)[at];
    std::stable_sort(out.runs.begin(), out.runs.end(), [&](const Run& a, const Run& b) {
      const double x = key[a.id], y = key[b.id];
      if (std::isnan(x) || std::isnan(y)) return !std::isnan(x) && std::isnan(y);  // missing comes last
      return down ? x > y : x < y;
    });
  }
  return out;
}

void set_runs_aside(Session& session, const std::vector<std::int64_t>& ids, const std::string& response,
                    const std::optional<std::string>& why) {
  if (why && why->find_first_not_of(" \t\n") == std::string::npos)
    throw Error("the reason is empty", "--why", "say why; it is shown wherever the run is missing");
  if (!response.empty()) chosen_responses(session.study, {response}, false);
  const std::vector<Run> runs = session.store.runs();
  for (const std::int64_t id : ids)
    if (std::none_of(runs.begin(), runs.end(), [id](const Run& r) { return r.id == id; }))
      throw Error(fmt::format("there is no run {}", id), "set-aside", "renth runs lists them");
  session.store.transaction([&] {
    for (const std::int64_t id : ids) session.store.set_aside(id, response, why);
  });
}

}  // namespace renth
