#include <fmt/format.h>
#include <sys/eventfd.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <renth/base/error.hpp>
#include <renth/document/confirm.hpp>
#include <renth/document/mark.hpp>
#include <renth/document/parts.hpp>
#include <renth/document/window.hpp>
#include <renth/report/page_calls.hpp>
#include <renth/workflow/confirming.hpp>
#include <renth/workflow/named_settings.hpp>
#include <renth/workflow/windowing.hpp>

namespace renth {
namespace {

constexpr auto look_every = std::chrono::seconds(1);
constexpr std::size_t most_events = 256;

PageAnswer answered(int status, const Json& document) {
  return {status, "application/json", json_text(document)};
}

/// A member of what was sent. \throws Error  it is not there.
const Json& member(const Json& asked, const char* key) {
  if (!asked.is_object() || !asked.contains(key))
    throw Error(fmt::format("\"{}\" is missing", key), "the page's call", "load the page again");
  return asked[key];
}

std::string text_of(const Json& asked, const char* key) {
  const Json& value = member(asked, key);
  if (!value.is_string())
    throw Error(fmt::format("\"{}\" is no text", key), "the page's call", "load the page again");
  return value.get<std::string>();
}

Settings settings_of(const Json& asked) {
  const Json& point = member(asked, "point");
  Settings out;
  if (!point.is_object()) throw Error("\"point\" is no setting", "the page's call", "load the page again");
  for (const auto& [name, value] : point.items()) {
    if (value.is_number())
      out[name] = value.get<double>();
    else if (value.is_string())
      out[name] = value.get<std::string>();
    else
      throw Error(fmt::format("the setting of {} is neither a number nor a name", name), "the page's call",
                  "load the page again");
  }
  return out;
}

std::string at_words(const Session& session, const Settings& at) {
  return exact_settings(session.study.space, session.study.point(at, "the page's call"));
}

}  // namespace

PageCalls::PageCalls(std::filesystem::path folder, PageOptions options)
    : folder_(std::move(folder)), options_(std::move(options)), seen_(footprint()) {
  options_.served = true;
  options_.connect = "; connect-src 'self'";
  stop_fd_ = eventfd(0, EFD_CLOEXEC | EFD_NONBLOCK);
  watch_ = std::thread([this] { watch(); });
}

PageCalls::~PageCalls() {
  stop_runs(1);
  {
    const std::lock_guard lock(mutex_);
    ends_ = true;
  }
  changed_.notify_all();
  watch_.join();
  if (confirmation_.joinable()) confirmation_.join();
  close(stop_fd_);
}

PageAnswer PageCalls::answer(const std::string& method, const std::string& call_name,
                             const std::string& body) {
  try {
    const std::lock_guard one(calls_);
    if (method == "GET" && call_name.empty()) {
      Session session(folder_);
      Notes notes;
      return {200, "text/html; charset=utf-8", page_html(session, options_, notes, &memory_)};
    }
    return answered(200, call(method, call_name, body));
  } catch (const Error& e) {
    return answered(e.kind() == ErrorKind::machine ? 500 : 400, error_document(e));
  } catch (const std::exception& e) {
    return answered(500, error_document(Error(e.what(), "", "please report it", ErrorKind::machine)));
  }
}

Json PageCalls::call(const std::string& method, const std::string& name, const std::string& body) {
  if (method == "GET" && name == "study") {
    Session session(folder_);
    Notes notes;
    Json out = page_data(session, options_, notes, false, &memory_);
    session.keep();
    return out;
  }
  if (method == "POST") {
    const Json asked = Json::parse(body, nullptr, false);
    if (asked.is_discarded())
      throw Error("what was sent is no JSON", "the page's call", "load the page again");
    if (name == "marks") return keep_setting(asked);
    if (name == "marks/remove") return drop_setting(asked);
    if (name == "windows") return keep_span(asked);
    if (name == "confirm") return start_confirming(asked);
    if (name == "confirm/stop") {
      stop_runs(1);
      return Json::object();
    }
  }
  throw Error("the page has no such call", name, "load the page again");
}

void PageCalls::note_command(Session& session, const std::vector<std::string>& words, int status) {
  session.keep();
  if (!session.store.read_only()) session.store.log(words, status);
}

Json PageCalls::keep_setting(const Json& asked) {
  Session session(folder_);
  SettingAsked at;
  at.at = settings_of(asked);
  const std::string name = text_of(asked, "name");
  const MarkResult result = keep_mark(session, name, at);
  note_command(session, {"mark", name, "--at", at_words(session, at.at)}, 0);
  return to_document(session.study, result);
}

Json PageCalls::drop_setting(const Json& asked) {
  Session session(folder_);
  const std::string name = text_of(asked, "name");
  const MarkResult result = remove_mark(session, name);
  note_command(session, {"mark", "--remove", name}, 0);
  return to_document(session.study, result);
}

Json PageCalls::keep_span(const Json& asked) {
  Session session(folder_);
  WindowRequest request;
  request.keep_as = text_of(asked, "name");
  request.level = options_.level;
  std::vector<std::string> words = {"window"};
  for (const auto& [parameter, ends] : member(asked, "span").items()) {
    if (!ends.is_array() || ends.size() != 2 || !ends[0].is_number() || !ends[1].is_number())
      throw Error("the ends of " + parameter + " are not two numbers", "the page's call",
                  "load the page again");
    const double low = ends[0], high = ends[1];
    request.span.push_back({parameter, {low, high}});
    words.insert(words.end(), {"--span", fmt::format("{}={}..{}", parameter, low, high)});
  }
  words.insert(words.end(), {"--keep-as", request.keep_as});
  const WindowAnswer result = window_of(session, request);
  note_command(session, words, 0);
  return to_document(session.study, result);
}

Json PageCalls::start_confirming(const Json& asked) {
  const Settings at = settings_of(asked);
  {
    Session session(folder_);
    session.study.point(at, "the page's call");  // a wrong one is refused before anything starts
  }
  const std::lock_guard lock(mutex_);
  if (confirming_) throw Error("a setting is being confirmed already", "confirm", "wait for it, or stop it");
  if (confirmation_.joinable()) confirmation_.join();
  confirming_ = true;
  stop_ = 0;
  progress_ = nullptr;
  confirmation_ = std::thread([this, at] { confirm(at); });
  return Json::object();
}

void PageCalls::confirm(const Settings& at) {
  Json end;
  try {
    Session session(folder_);
    ConfirmRequest request;
    request.at = {at};
    request.level = options_.level;
    request.running.stop_fd = stop_fd_;
    request.running.stop = [this] {
      std::uint64_t count = 0;
      [[maybe_unused]] const auto got = read(stop_fd_, &count, sizeof count);
      const std::lock_guard lock(mutex_);
      return stop_;
    };
    request.running.progress = [this](const Progress& p) {
      push({{"event", "progress"},
            {"done", p.done},
            {"failed", p.failed},
            {"running", p.running},
            {"total", p.total},
            {"seconds", json_number(p.seconds)},
            {"state", p.state},
            {"last", p.last}});
    };
    const ConfirmResult result = confirm_settings(session, request);
    note_command(session, {"confirm", "--at", at_words(session, at)}, result.missed ? 1 : 0);
    end = {{"event", "confirmed"}, {"document", to_document(session.study, result)}};
  } catch (const Error& e) {
    end = error_document(e);
    end["event"] = "refused";
  } catch (const std::exception& e) {
    end = error_document(Error(e.what(), "", "please report it", ErrorKind::machine));
    end["event"] = "refused";
  }
  // The last that this thread does with the lock: who waits for its end may hold it.
  {
    const std::lock_guard lock(mutex_);
    confirming_ = false;
    add_event(end);
  }
  changed_.notify_all();
}

bool PageCalls::confirming() {
  const std::lock_guard lock(mutex_);
  return confirming_;
}

void PageCalls::stop_runs(int level) {
  const std::lock_guard lock(mutex_);
  stop_ = std::max(stop_, level);
  const std::uint64_t one = 1;
  [[maybe_unused]] const auto written = write(stop_fd_, &one, sizeof one);
}

void PageCalls::push(Json event) {
  {
    const std::lock_guard lock(mutex_);
    if (event["event"] == "progress") progress_ = event;
    add_event(event);
  }
  changed_.notify_all();
}

void PageCalls::add_event(const Json& event) {
  events_.emplace_back(++last_, json_text(event));
  if (events_.size() > most_events) events_.pop_front();
}

std::optional<std::string> PageCalls::event(std::uint64_t& after) {
  std::unique_lock lock(mutex_);
  if (after == 0) {
    after = last_;
    return json_text(Json{
        {"event", "here"}, {"confirming", confirming_}, {"progress", confirming_ ? progress_ : nullptr}});
  }
  changed_.wait_for(lock, look_every, [&] { return ends_ || last_ > after; });
  for (const auto& [number, text] : events_)
    if (number > after) {
      after = number;
      return text;
    }
  return std::nullopt;
}

void PageCalls::watch() {
  for (;;) {
    {
      std::unique_lock lock(mutex_);
      if (changed_.wait_for(lock, look_every, [&] { return ends_; })) return;
    }
    std::string now = footprint();
    if (now == seen_) continue;
    seen_ = std::move(now);
    push({{"event", "changed"}});
  }
}

std::string PageCalls::footprint() const {
  std::string out;
  for (const char* file : {"study.toml", "study.db", "study.db-wal"}) {
    struct stat seen {};
    // A log that is empty is none.
    if (stat((folder_ / file).c_str(), &seen) != 0 || seen.st_size == 0) continue;
    out += fmt::format("{} {} {}.{};", file, seen.st_size, seen.st_mtim.tv_sec, seen.st_mtim.tv_nsec);
  }
  return out;
}

}  // namespace renth
