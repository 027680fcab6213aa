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
    symbols_ = study_.symbols();
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
    symbols_.push_back({"use", Symbol::Kind::choice, batch_uses, {}});
    symbols_.push_back({"origin", Symbol::Kind::choice, origins, {}});
    symbols_.push_back({"status", Symbol::Kind::choice, run_status_words.all(), {}});
  }
  const std::vector<Symbol>& symbols() const { return symbols_; }

  /// What curves have is in `curves`, if that is wanted; NaN and an empty curve are missing.
  std::vector<double> values(const Run& run, std::vector<Eigen::VectorXd>* curves = nullptr) const {
    if (curves) curves->assign(symbols_.size(), {});
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
    for (const Response& r : study_.responses) {
      if (curves && r.axis >= 0)
        (*curves)[out.size()] = computed_curve(study_, run, r).value_or(Eigen::VectorXd());
      out.push_back(r.axis >= 0 ? NAN : computed_value(study_, run, r).value_or(NAN));
    }
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

/// False also where axis points that it asks for are missing.
bool holds(const Expression& condition, const std::vector<double>& values,
           const std::vector<Eigen::VectorXd>& curves) {
  try {
    return condition.holds({values.data(), &curves});
  } catch (const Error&) {
    for (std::size_t i = 0; i < curves.size(); ++i)
      if (condition.uses(i) && !curves[i].allFinite()) return false;
    throw;
  }
}

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
    std::vector<Eigen::VectorXd> curves;
    for (Run& run : out.runs) {
      const std::vector<double> values = filter.values(run, &curves);
      bool missing = false;
      for (std::size_t i = 0; i < values.size(); ++i) {
        const bool curve = filter.symbols()[i].kind == Symbol::Kind::curve;
        missing = missing || (condition.uses(i) && (curve ? curves[i].size() == 0 : std::isnan(values[i])));
      }
      if (!missing && holds(condition, values, curves)) kept.push_back(std::move(run));
    }
    out.runs = std::move(kept);
  }
  if (!options.sort.empty()) {
    const bool down = options.sort[0] == '-';
    const std::string by = options.sort.substr(down ? 1 : 0);
    const auto found = std::find_if(filter.symbols().begin(), filter.symbols().end(),
                                    [&](const Symbol& s) { return s.name == by; });
    const char* const remedy = "use id, a parameter or a response that is a number";
    if (found == filter.symbols().end()) throw Error("unknown name " + by, "--sort", remedy);
    if (found->kind == Symbol::Kind::curve) throw Error(by + " is a curve", "--sort", remedy);
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
