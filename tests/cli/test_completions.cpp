// Completions in the shells themselves, under a pseudo-terminal; what may come next; manual pages.
#include <doctest/doctest.h>
#include <poll.h>
#include <pty.h>

#include <algorithm>
#include <chrono>
#include <cli/tool.hpp>
#include <csignal>

using namespace renth::test;

namespace {

/// A shell on a pseudo-terminal, in the folder of a study.
class Shell {
 public:
  Shell(const Tool& tool, const std::string& command) {
    winsize size{40, 200, 0, 0};
    pid_ = forkpty(&terminal_, nullptr, nullptr, &size);
    if (pid_ == 0) {
      if (chdir(tool.folder.c_str()) != 0) _exit(1);
      setenv("TERM", "xterm", 1);
      setenv("HOME", tool.folder.c_str(), 1);
      execl("/bin/sh", "sh", "-c", ("exec " + command).c_str(), nullptr);
      _exit(1);
    }
  }
  ~Shell() {
    kill(pid_, SIGKILL);
    Tool::end(pid_);
    close(terminal_);
  }
  Shell(const Shell&) = delete;
  Shell& operator=(const Shell&) = delete;

  void type(const std::string& text) {
    REQUIRE(write(terminal_, text.data(), text.size()) == ssize_t(text.size()));
  }
  /// Reads until something was shown.
  bool shows(const std::string& words) {
    const auto end = std::chrono::steady_clock::now() + std::chrono::seconds(30);
    while (!contains(seen_, words) && std::chrono::steady_clock::now() < end) {
      pollfd on{terminal_, POLLIN, 0};
      if (poll(&on, 1, 100) <= 0) continue;
      char bytes[4096];
      const ssize_t got = read(terminal_, bytes, sizeof bytes);
      if (got <= 0) break;
      seen_.append(bytes, std::size_t(got));
    }
    const bool found = contains(seen_, words);
    CAPTURE(seen_);
    CHECK_MESSAGE(found, words);
    if (found) seen_.clear();
    return found;
  }

 private:
  int terminal_ = -1;
  pid_t pid_ = 0;
  std::string seen_;
};

const std::string completions = RENTH_TESTS "/../completions";
const std::string path = "PATH=\"$(dirname " RENTH_BINARY "):$PATH\"";

void planned(const Tool& tool) {
  tool.write("study.toml", formula_study);
  REQUIRE(tool("plan latin-hypercube --runs 6 --batch first_one").status == 0);
  REQUIRE(tool("mark favourite --at a=1").status == 0);
}

}  // namespace

TEST_CASE("what may come next: verbs, options, kinds, and names of the study") {
  const Tool tool;
  planned(tool);
  const auto next = [&](const std::string& words) { return tool("complete-words -- " + words).out; };
  CHECK(next("see") == "seek\tsearch the surrogates for the settings wanted\n");
  CHECK(contains(next("\"\""), "report\t"));
  CHECK_FALSE(contains(next("\"\""), "complete-words"));
  CHECK(contains(next("draw sli"), "slices\t"));
  CHECK(contains(next("fit kri"), "kriging\t"));
  CHECK(contains(next("plan lat"), "latin-hypercube\t"));
  CHECK(contains(next("trust --resp"), "--response\t"));
  CHECK(contains(next("trust --quie"), "--quiet\t"));
  CHECK(next("trust --response \"\"") == "y\ty [kW]\nz\tz\nratio\tratio\n");
  CHECK(next("predict --at \"\"") == "a=\ta\nb=\tb\nc=\tc\n");
  CHECK(next("predict --at a=1,b") == "a=1,b=\tb\n");
  CHECK(next("assess --batch fir") == "first_one\tfit, latin-hypercube\n");
  CHECK(next("draw slices --mark fa") == "favourite\tmark\n");
  CHECK(next("report --sections summary,ra") == "summary,ranking\tWhat matters\n");
  CHECK(next("-s elsewhere trust --response \"\"").empty());
  CHECK(next("nonsense \"\"").empty());
  // A study file that is wrong is no reason to say anything.
  tool.write("study.toml", "nonsense");
  const Answer wrong = tool("complete-words -- trust --response \"\"");
  CHECK(wrong.status == 0);
  CHECK(wrong.out + wrong.err == "");
}

TEST_CASE("bash completes") {
  const Tool tool;
  planned(tool);
  Shell shell(tool, "bash --norc --noprofile -i");
  shell.type(path + "; PS1='ready> '; . " + completions + "/renth.bash; echo loaded_$((1+1))\n");
  shell.shows("loaded_2");
  shell.type("renth disc\t");
  shell.shows("discard ");
  shell.type("fi\t");
  shell.shows("first_one");
  shell.type("\x15renth predict --at \t\t");
  shell.shows("c=");
  shell.type("\x15renth predict --at a=2,b\t");
  shell.shows("a=2,b=");
}

TEST_CASE("zsh completes") {
  const Tool tool;
  planned(tool);
  Shell shell(tool, "zsh -f -i");
  shell.type(path + "; fpath=(" + completions +
             " $fpath); autoload -U compinit; compinit -u -D; echo loaded_$((1+1))\n");
  shell.shows("loaded_2");
  shell.type("renth disc\t");
  shell.shows("discard");
  shell.type(" fi\t");
  shell.shows("first_one");
}

TEST_CASE("fish completes") {
  const Tool tool;
  planned(tool);
  Shell shell(tool, "fish --no-config -i");
  shell.type("set -x PATH (dirname " RENTH_BINARY ") $PATH; source " + completions +
             "/renth.fish; echo loaded_(math 1+1)\n");
  shell.shows("loaded_2");
  shell.type("complete -C 'renth disc'\n");
  shell.shows("discard");
  shell.type("complete -C 'renth discard fi'\n");
  shell.shows("first_one");
}

TEST_CASE("a manual page for the tool and one for each verb") {
  const Tool tool;
  REQUIRE(tool("man-pages man").status == 0);
  const Answer lint = tool.shell("mandoc -T lint -W error man/*.1");
  CAPTURE(lint.out);
  CHECK(lint.status == 0);
  const std::string verbs = tool("complete-words -- \"\"").out, pages = tool.shell("ls man").out;
  CHECK(std::count(pages.begin(), pages.end(), '\n') == std::count(verbs.begin(), verbs.end(), '\n') + 1);
  const std::string page = tool.shell("mandoc -T html man/renth-seek.1").out;
  CHECK(contains(page, "search the surrogates for the settings wanted"));
  CHECK(contains(page, "--maximise"));
}
