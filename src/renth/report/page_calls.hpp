// What a served page may ask of its study, and what it is told meanwhile.
#pragma once
#include <condition_variable>
#include <deque>
#include <filesystem>
#include <mutex>
#include <renth/report/page.hpp>
#include <renth/report/page_server.hpp>
#include <string>
#include <thread>

namespace renth {

/// The calls, all with JSON bodies; each opens the study anew, so that other commands may work on it
/// meanwhile:
///
///     GET  ""            the page
///     GET  "study"       what the page carries but its model, to see what has changed
///     POST "marks"       {"name", "point"}: a setting becomes a mark; "marks/remove" {"name"}
///     POST "windows"     {"name", "span": {"radius": [3, 5]}}: kept as by renth window --keep-as
///     POST "confirm"     {"point"}: on the solver, in the background, one at a time; "confirm/stop" {}
///
/// What changes the study is in its log as the command that does the same. Errors are documents as the
/// tool's.
///
/// Events: {"event": "changed"} when somebody changed the study; "progress" of a confirmation; "confirmed"
/// with its document; "refused" with an error; "here" first of all, with what goes on.
class PageCalls {
 public:
  PageCalls(std::filesystem::path folder, PageOptions options);
  /// Lets what runs finish.
  ~PageCalls();
  PageCalls(const PageCalls&) = delete;
  PageCalls& operator=(const PageCalls&) = delete;

  PageAnswer answer(const std::string& method, const std::string& call, const std::string& body);
  /// \param after  number of the last event seen, becomes that of the one returned; 0: "here" comes first.
  std::optional<std::string> event(std::uint64_t& after);

  /// A confirmation goes on.
  bool confirming();
  /// Starts no more runs; of `level` 2: ends what runs.
  void stop_runs(int level);

 private:
  Json call(const std::string& method, const std::string& call, const std::string& body);
  Json keep_setting(const Json& asked);
  Json drop_setting(const Json& asked);
  Json keep_span(const Json& asked);
  Json start_confirming(const Json& asked);
  void confirm(const Settings& at);
  void push(Json event);
  void add_event(const Json& event);  ///< mutex_ is held
  void watch();
  std::string footprint() const;
  void note_command(class Session& session, const std::vector<std::string>& words, int status);

  std::filesystem::path folder_;
  PageOptions options_;
  PageMemory memory_;  // with calls_
  std::mutex mutex_, calls_;
  std::condition_variable changed_;
  std::deque<std::pair<std::uint64_t, std::string>> events_;
  std::uint64_t last_ = 1;
  std::string seen_;
  bool confirming_ = false, ends_ = false;
  int stop_ = 0, stop_fd_ = -1;
  Json progress_;
  std::thread confirmation_, watch_;
};

}  // namespace renth
