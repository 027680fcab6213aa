#include <fmt/format.h>

#include <charconv>
#include <filesystem>
#include <renth/base/names.hpp>
#include <renth/running/run_book.hpp>
#include <renth/running/run_lock.hpp>
#include <renth/solver/digest.hpp>
#include <renth/workflow/taking_in.hpp>

namespace renth {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;

/// Folders named by numbers, ascending.
std::map<std::int64_t, fs::path> run_folders(const fs::path& runs) {
  std::map<std::int64_t, fs::path> out;
  std::error_code error;
  for (const fs::directory_entry& entry : fs::directory_iterator(runs, error)) {
    const std::string name = entry.path().filename().string();
    std::int64_t id = 0;
    const auto [end, wrong] = std::from_chars(name.data(), name.data() + name.size(), id);
    if (wrong == std::errc() && end == name.data() + name.size() && id > 0 && id <= 1'000'000'000)
      out.emplace(id, entry.path());
  }
  return out;
}

class TakingIn {
 public:
  explicit TakingIn(Session& session)
      : session_(session), study_(session.study), lock_(session.study.folder) {}

  TakeInResult run() {
    for (const RunHead& head : session_.store.heads())
      if (head.status == RunStatus::running)
        throw Error(fmt::format("run {} is being computed", head.id), "study.db",
                    "renth run takes up what was interrupted");
    session_.store.transaction([&] {
      for (const auto& [id, folder] : run_folders(study_.folder / "runs")) take_in(id, folder);
      collect();
    });
    if (!unreadable_.empty())
      add_note(
          result_.notes, "not_taken_in",
          fmt::format("{}: no file in the folder says what the settings were", listed_runs(unreadable_)));
    if (!guessed_.empty())
      add_note(result_.notes, "batch_unknown",
               fmt::format("{}: which batch they were of is not known; they are in taken-in, and are fitted",
                           listed_runs(guessed_)));
    return std::move(result_);
  }

 private:
  /// The run as its input says, of a renth that wrote no more; only where the input is the settings.
  std::optional<Run> from_input(std::int64_t id, const fs::path& folder) {
    try {
      json input = object_in(folder / "input.json");
      if (input.value("run", std::int64_t(0)) != id) return std::nullopt;
      input.erase("run");
      if (study_.solver.per >= 0) input.erase(study_.axes[std::size_t(study_.solver.per)].name);
      Run run;
      run.batch = "taken-in";
      run.use = "fit";
      run.origin = "added";
      run.settings = settings_from_json(input);
      guessed_.push_back(id);
      return run;
    } catch (const json::exception&) {
      return std::nullopt;  // something else is called so
    }
  }

  std::optional<Run> read(std::int64_t id, const fs::path& folder) {
    for (const fs::path& at : {folder, folder / "point-01"}) {
      if (auto known = read_identity(at, id)) {
        if (!known->maker.empty()) known->run.maker = session_.store.maker(known->maker);
        return std::move(known->run);
      }
      if (auto run = from_input(id, at)) return run;
    }
    return std::nullopt;
  }

  void take_in(std::int64_t id, const fs::path& folder) {
    if (session_.store.run(id)) {
      ++result_.known;
      return;
    }
    const auto run = read(id, folder);
    if (!run) {
      unreadable_.push_back(id);
      return;
    }
    session_.store.take_in(id, *run);
    // As if it had been left running: what its folder holds counts, and is not tried again.
    session_.store.set_status(id, RunStatus::running, "", 0, study_.solver.retries + 1, run->maker);
    session_.store.set_host(id, host_name());
  }

  void collect() {
    RunningOptions options;
    RunBook book(session_, options);
    for (const Call call : book.reopen()) {
      const fs::path folder = RunFolder::of(study_, call).folder;
      const auto outcome = read_outcome(folder, AnyBoot::yes);
      if (outcome && outcome->how != Outcome::How::stopped && outcome->how != Outcome::How::not_started)
        book.ended(call, *outcome, {digest_in(study_, call), "", ""});
      else
        book.put_back(call);
    }
    result_.done = book.summary.done;
    result_.failed = book.summary.failed;
    add_notes(result_.notes, book.summary.notes);
    for (const RunHead& head : session_.store.heads()) result_.planned += head.status == RunStatus::planned;
  }

  Session& session_;
  const Study& study_;
  const RunLock lock_;
  std::vector<std::int64_t> unreadable_, guessed_;
  TakeInResult result_;
};

}  // namespace

TakeInResult take_in_runs(Session& session) {
  return TakingIn(session).run();
}

}  // namespace renth
