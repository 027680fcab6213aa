#include <poll.h>
#include <sys/random.h>

#include <renth/base/error.hpp>
#include <renth/cli/cli.hpp>
#include <renth/report/page_calls.hpp>
#include <renth/table/whole_file.hpp>
#include <renth/version.hpp>
#include <thread>

namespace renth::cli {
namespace {

PageOptions page_options(const Globals& globals) {
  PageOptions out;
  out.level = globals.level;
  out.version = version;
  return out;
}

/// About how many bytes the page will have: the table of runs, and the surrogates as text.
double expected_bytes(Session& session) {
  constexpr double of_cell = 70, of_byte = 1.35;
  const Study& study = session.study;
  const auto runs = double(session.runs().size());
  double models = 0;
  for (const Response& r : study.responses) {
    if (r.derive) continue;
    if (const auto stored = session.store.fitted(r.name))
      models += double(stored->surrogate->save().bytes.size());
  }
  return of_cell * runs * double(study.space.size() + Eigen::Index(study.responses.size())) +
         of_byte * models;
}

int write_page(const Globals& globals, const std::string& file) {
  if (!file.ends_with(".html"))
    throw Error(file + " is no page", "-o " + file, "name a file that ends in .html");
  Session session(globals.study);
  Notes notes;
  constexpr double large = 50e6;
  if (const double bytes = expected_bytes(session); bytes > large && !globals.quiet)
    print_aside(fmt::format(
        "The page will have about {:.0f} MB, which takes a browser some seconds to open. A study with fewer "
        "runs or responses makes a smaller one.\n",
        bytes / 1e6));
  const std::string page = page_html(session, page_options(globals), notes);
  write_whole_file(file, page);
  if (globals.json)
    print_document(Json{{"file", file}, {"bytes", page.size()}, {"notes", notes_document(notes)}});
  else
    print_table(
        globals,
        fmt::format("Wrote the page of {} to {} ({:.2f} MB): open it in a browser, no server is needed.\n",
                    session.study.name, file, double(page.size()) / 1e6) +
            notes_of(notes));
  const int status = status_of(notes);
  log(globals, session, status);
  return status;
}

/// 128 bits that nobody can guess.
std::string fresh_token() {
  unsigned char bytes[16];
  if (getrandom(bytes, sizeof bytes, 0) != ssize_t(sizeof bytes))
    throw Error("no random numbers", "this machine", "write the page with -o FILE.html", ErrorKind::machine);
  std::string out;
  for (const unsigned char b : bytes) out += fmt::format("{:02x}", b);
  return out;
}

void tell_where(const Globals& globals, const std::string& name, const std::string& url, int port) {
  if (globals.json)
    print_text(json_text(Json{{"url", url}}) + "\n");
  else
    print(
        "The page of {} is at\n\n    {}\n\nfor this machine alone, until Ctrl-C. From another one: ssh -L "
        "{}:127.0.0.1:{} HOST\n",
        name, url, port, port);
  std::fflush(stdout);
}

int serve_page(const Globals& globals) {
  std::string name;
  {  // what is wrong with the study is said before anything is served
    Session session(globals.study);
    name = session.study.name;
    log(globals, session);
  }
  PageCalls calls(globals.study, page_options(globals));
  PageBehind behind;
  behind.token = fresh_token();
  behind.answer = [&](const std::string& method, const std::string& call, const std::string& body) {
    return calls.answer(method, call, body);
  };
  behind.event = [&](std::uint64_t& after) { return calls.event(after); };
  const std::unique_ptr<PageServer> server = load_page_server(behind);
  Interrupts interrupts;
  std::thread serving([&] { server->serve(); });
  tell_where(globals, name, fmt::format("http://127.0.0.1:{}/{}/", server->port(), behind.token),
             server->port());
  for (bool stopping = false; !stopping || (interrupts.count() < 2 && calls.confirming());) {
    pollfd on{interrupts.fd(), POLLIN, 0};
    constexpr int look_again = 200;  // milliseconds
    poll(&on, 1, stopping ? look_again : -1);
    if (stopping || interrupts.count() == 0) continue;
    stopping = true;
    calls.stop_runs(1);
    if (calls.confirming())
      print_aside("renth: finishing what is being confirmed; Ctrl-C again ends it now\n");
  }
  if (interrupts.count() > 1) calls.stop_runs(2);
  server->stop();
  serving.join();
  return 0;
}

}  // namespace

std::function<int()> declare_explore(CLI::App& app, Globals& globals) {
  auto file = std::make_shared<std::string>();
  app.add_option(
      "-o,--output", *file,
      "FILE.html, which works offline by itself; else the page is served to this machine alone, and can "
      "keep marks and windows, and confirm");
  return [file, &globals] { return file->empty() ? serve_page(globals) : write_page(globals, *file); };
}

}  // namespace renth::cli
