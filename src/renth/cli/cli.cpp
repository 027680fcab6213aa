#include <sys/eventfd.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <charconv>
#include <cmath>
#include <csignal>
#include <cstdio>
#include <renth/base/text.hpp>
#include <renth/cli/cli.hpp>
#include <renth/document/fitted_text.hpp>
#include <renth/document/parts.hpp>
#include <renth/table/table_file.hpp>

namespace renth::cli {

std::vector<std::string> split(const std::vector<std::string>& words) {
  std::vector<std::string> out;
  for (const std::string& word : words)
    for (std::size_t at = 0; at <= word.size();) {
      const std::size_t end = std::min(word.find(',', at), word.size());
      if (end > at) out.push_back(word.substr(at, end - at));
      at = end + 1;
    }
  return out;
}

Settings parse_settings(const std::string& text, const std::string& option) {
  Settings out;
  for (const std::string& part : split({text})) {
    const std::size_t equals = part.find('=');
    if (equals == 0 || equals == std::string::npos || equals + 1 == part.size())
      throw Error("\"" + part + "\" is not a setting", option, "write name=value, separated by commas");
    const std::string value = part.substr(equals + 1);
    const auto number = cell_number(value);
    const bool fresh = out.emplace(part.substr(0, equals), number ? Value(*number) : Value(value)).second;
    if (!fresh) throw Error(part.substr(0, equals) + " is set twice", option, "set it once");
  }
  return out;
}

std::pair<std::string, double> parse_pair(const std::string& text, const std::string& option) {
  const Settings one = parse_settings(text, option);
  const double* value = one.size() == 1 ? std::get_if<double>(&one.begin()->second) : nullptr;
  if (!value || !std::isfinite(*value))
    throw Error("\"" + text + "\" is not a name and number", option, "write R=12.5");
  return {one.begin()->first, *value};
}

std::vector<std::pair<std::string, std::string>> parse_scatters(const std::vector<std::string>& texts) {
  std::vector<std::pair<std::string, std::string>> out;
  for (const std::string& text : texts) {
    const std::size_t equals = text.find('=');
    if (equals == std::string::npos || equals == 0)
      throw Error("\"" + text + "\" sets nothing", "--set", "write radius=normal:0.05");
    out.emplace_back(text.substr(0, equals), text.substr(equals + 1));
  }
  return out;
}

std::pair<int, int> parse_range(const std::string& text) {
  const std::size_t dots = text.find("..");
  const auto number = [&](std::string_view part) {
    int value = 0;
    const auto [end, error] = std::from_chars(part.data(), part.data() + part.size(), value);
    if (error != std::errc() || end != part.data() + part.size() || value < 1 || value > 1'000'000)
      throw Error("\"" + text + "\" is not a number of runs", "--runs",
                  "write 24, or 16..40 for a sweep of optimal plans");
    return value;
  };
  const std::string_view all = text;
  return {number(all.substr(0, dots)), dots == std::string::npos ? 0 : number(all.substr(dots + 2))};
}

namespace {
thread_local Capture* capture = nullptr;

/// To a stream, or to who gathers what would go there.
void send(std::string_view bytes, std::FILE* to) {
  if (capture)
    (to == stdout ? capture->out : capture->err) += bytes;
  else
    std::fwrite(bytes.data(), 1, bytes.size(), to);
}

/// Is it a terminal on which lines are drawn over?
bool draws_on(int fd) {
  return !capture && isatty(fd) != 0;
}

/// Names, units and what solvers print can hold what a terminal obeys: it is shown, not sent.
void put(std::string_view text, std::FILE* to) {
  while (!text.empty()) {  // a line at a time: tables can be large
    const std::size_t end = std::min(text.find('\n'), text.size() - 1) + 1;
    const std::string safe = without_controls(text.substr(0, end));
    send(safe, to);
    text.remove_prefix(end);
  }
}
}  // namespace

Capture::Capture() {
  capture = this;
}
Capture::~Capture() {
  capture = nullptr;
}

void print_text(const std::string& text) {
  put(text, stdout);
}

void print_table(const Globals& globals, const std::string& text) {
  const std::string here = in_study(text, globals.study == "." ? "" : "-s " + as_typed({globals.study}));
  print_text(fitted_to(here, terminal_width(STDOUT_FILENO)));
}

int terminal_width(int fd) {
  winsize size{};
  return draws_on(fd) && ioctl(fd, TIOCGWINSZ, &size) == 0 ? size.ws_col : 0;
}

void print_aside(const std::string& text) {
  if (draws_on(2)) std::fputs("\r\x1b[K", stderr);
  put(text, stderr);
}

void print_trouble(const std::string& text) {
  print_aside("renth: " + text + "\n");
}

void print_document(const Json& document) {
  const std::string text = json_text(document, true);  // has every control character escaped
  send(text, stdout);
}

namespace {

/// What was found has been printed and what was changed is stored: that the log of it fails is said, no more.
void write_down(Session& session, const std::function<void()>& body) {
  if (session.store.read_only()) return;
  try {
    session.store.without_waiting([&] { session.store.transaction(body); });
  } catch (const Error& e) {
    print_trouble(fmt::format("the command is not in the log: {}", e.what()));
  }
}

}  // namespace

void print_in_form(const Globals& globals, const Study& study, const Json& document) {
  print_text(tables_in(globals.form, tables_of(study, globals.verb, document)));
  if (!globals.quiet && document.contains("notes"))
    for (const Json& note : document["notes"]) print_aside("note: " + note["text"].get<std::string>() + "\n");
}

void keep(const Globals& globals, Session& session, const std::string& variant, const std::string& document,
          int status) {
  session.keep();
  write_down(session, [&] {
    if (!document.empty())
      session.store.keep({globals.verb, variant, globals.words, globals.seed.value_or(session.study.seed),
                          session.data_state(), document, ""});
    session.store.log(globals.words, status);
  });
}

void log(const Globals& globals, Session& session, int status) {
  write_down(session, [&] { session.store.log(globals.words, status); });
}

int status_of(const Notes& notes) {
  for (const Note& n : notes)
    for (const char* code :
         {"unfit", "nothing_feasible", "not_confirmed", "nothing_in_specification", "no_window"})
      if (n.code == code) return 1;
  return 0;
}

namespace {
// Signal handlers can reach nothing else.
volatile std::sig_atomic_t interrupt_count = 0;
int wake_fd = -1;
void on_interrupt(int) {
  interrupt_count = interrupt_count + 1;
  const std::uint64_t one = 1;
  if (wake_fd >= 0) [[maybe_unused]]
    const auto written = write(wake_fd, &one, sizeof one);
}

/// What is drawn over again must not wrap.
std::string fitted_line(const std::string& text) {
  constexpr int usual = 100;
  const int width = terminal_width(STDERR_FILENO);
  return shortened(text, std::size_t(std::max(10, width > 0 ? width - 1 : usual)));
}
}  // namespace

StatusLine::StatusLine(const Globals& globals) : on_(draws_on(2) && !globals.quiet) {}
StatusLine::~StatusLine() {
  if (drawn_) std::fputs("\r\x1b[K", stderr);
}
void StatusLine::show(const std::string& text) {
  if (!on_) return;
  std::fputs("\r\x1b[K", stderr);
  put(fitted_line(text), stderr);
  std::fflush(stderr);
  drawn_ = true;
}

Interrupts::Interrupts() {
  interrupt_count = 0;
  wake_fd = eventfd(0, EFD_CLOEXEC | EFD_NONBLOCK);
  struct sigaction action {};
  action.sa_handler = on_interrupt;
  sigaction(SIGINT, &action, &before_interrupt_);
  sigaction(SIGTERM, &action, &before_end_);
}

Interrupts::~Interrupts() {
  sigaction(SIGINT, &before_interrupt_, nullptr);
  sigaction(SIGTERM, &before_end_, nullptr);
  close(wake_fd);
  wake_fd = -1;
}

int Interrupts::fd() const {
  return wake_fd;
}

int Interrupts::count() {
  std::uint64_t count = 0;
  [[maybe_unused]] const auto got = read(wake_fd, &count, sizeof count);
  return static_cast<int>(interrupt_count);
}

RunControl::RunControl(const Globals& globals, bool cluster)
    : bar_(draws_on(2) && !globals.quiet), cluster_(cluster) {}

RunControl::~RunControl() {
  if (drawn_) std::fputs("\r\x1b[K", stderr);
}

void RunControl::attach(RunningOptions& options) {
  options.stop_fd = interrupts_.fd();
  options.stop = [this] {
    const int level = std::min(interrupts_.count(), 2);
    if (level > announced_) {
      announced_ = level;
      send(cluster_     ? "\rrenth: leaving; what the cluster has goes on\n"
           : level == 1 ? "\rrenth: finishing what runs, starting no more; Ctrl-C again ends it now\n"
                        : "\rrenth: ending what runs; it will be planned again\n",
           stderr);
    }
    return level;
  };
  options.progress = [this](const Progress& p) { show(p); };
}

void RunControl::show(const Progress& p) {
  if (!bar_) return;
  const int ended = p.done + p.failed;
  const double rate = p.seconds > 0 ? ended / p.seconds : 0;
  std::string left = "–";
  if (rate > 0) {
    const double seconds = (p.total - ended) / rate;
    left = seconds < 90     ? fmt::format("{:.0f} s", seconds)
           : seconds < 5400 ? fmt::format("{:.0f} min", seconds / 60)
                            : fmt::format("{:.1f} h", seconds / 3600);
  }
  const std::string running = p.state.empty() ? fmt::format("{} running", p.running) : p.state;
  const std::string words = fmt::format("{}/{} runs, {} failed, {}, {:.3g} a second, {} left", ended, p.total,
                                        p.failed, running, rate, left);
  // The bar takes what the words leave.
  constexpr int widest = 30, narrowest = 5;
  const int terminal = terminal_width(STDERR_FILENO);
  const int room = terminal > 0 ? terminal - 2 - int(words.size()) : widest;
  const int wide = room < narrowest ? 0 : std::min(room, widest);
  const int full = p.total > 0 ? wide * ended / p.total : wide;
  std::string bar;
  for (int i = 0; i < wide; ++i) bar += i < full ? "█" : "░";
  const std::string text = "\r\x1b[K" + (bar.empty() ? "" : bar + " ") + fitted_line(words);
  std::fwrite(text.data(), 1, text.size(), stderr);
  std::fflush(stderr);
  drawn_ = true;
}

}  // namespace renth::cli
