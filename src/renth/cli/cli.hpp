// What the verbs share: options that work everywhere, printing, and reading small arguments.
#pragma once
#include <fmt/format.h>
#include <signal.h>

#include <CLI/CLI.hpp>
#include <functional>
#include <optional>
#include <renth/cli/run.hpp>
#include <renth/document/json.hpp>
#include <renth/document/kept_tables.hpp>
#include <renth/document/parts.hpp>
#include <renth/numeric/random.hpp>
#include <renth/running/running_options.hpp>
#include <renth/store/session.hpp>
#include <string>
#include <vector>

namespace renth::cli {

/// Options that every verb takes.
struct Globals {
  std::vector<std::string> words;  ///< the command as it was typed, without the program's name
  std::string verb;
  std::string study = ".";
  bool json = false, quiet = false;
  TableForm form = TableForm::table;  ///< of verbs with tables
  std::optional<Seed> seed;
  int threads = 0;
  double level = 0.95;
};

/// A verb: its options are declared once, and what it does is called after parsing. Returns the exit status.
struct Verb {
  const char* name;
  const char* summary;
  std::function<int()> (*declare)(CLI::App&, Globals&);
};
const std::vector<Verb>& verbs();

/// While it lives, what this thread would print is gathered here instead. One at a time.
class Capture {
 public:
  Capture();
  ~Capture();
  Capture(const Capture&) = delete;
  Capture& operator=(const Capture&) = delete;
  std::string out, err;
};

/// To standard output; whether all of it went is seen when the command ends.
void print_text(const std::string& text);
template <class... Parts>
void print(fmt::format_string<Parts...> form, Parts&&... parts) {
  print_text(fmt::format(form, std::forward<Parts>(parts)...));
}
/// To standard error, over what a progress line may have left there.
void print_aside(const std::string& text);
/// The same, as a message of this tool.
void print_trouble(const std::string& text);
/// A document, indented.
void print_document(const Json& document);

/// Characters in a line of the terminal; 0: it is none, or does not say.
int terminal_width(int fd);

/// A table whose `next:` lines are commands of this study; on a terminal no wider than that is.
void print_table(const Globals& globals, const std::string& text);

/// The tables of a verb's document, in the form asked for; its notes go to standard error.
void print_in_form(const Globals& globals, const Study& study, const Json& document);

/// Prints a result as the document or the table.
template <class Asked, class Result>
void print(const Globals& globals, const Asked& study, const Result& result) {
  if (globals.json) return print_document(to_document(study, result));
  if constexpr (std::is_same_v<Asked, Study>)
    if (globals.form != TableForm::table) return print_in_form(globals, study, to_document(study, result));
  print_table(globals, to_table(study, result));
}

/// Lines of a result's document, where they grow with the runs; a result that has such says how many.
template <class Result>
std::size_t document_rows(const Result&) {
  return 0;
}

/// Keeps what a verb found, and the command. What is too large (then `document` is empty) is not kept, the
/// command is.
void keep(const Globals& globals, Session& session, const std::string& variant, const std::string& document,
          int status);
/// Prints a result and keeps it with the command in the store. \returns  the status.
/// \param variant  of verbs whose results stand beside each other, such as the methods of one.
template <class Result>
int finish(const Globals& globals, Session& session, const Result& result, int status,
           const std::string& variant = "") {
  constexpr std::size_t most_rows = 100'000;
  const bool kept = document_rows(result) <= most_rows;
  const bool formed = globals.form != TableForm::table;
  const Json document = kept || globals.json || formed ? to_document(session.study, result) : Json();
  if (globals.json)
    print_document(document);
  else if (formed)
    print_in_form(globals, session.study, document);
  else
    print_table(globals, to_table(session.study, result));
  keep(globals, session, variant, kept ? json_text(document) : "", status);
  return status;
}
/// Keeps the command of a verb that changed the study and found nothing to be kept.
void log(const Globals& globals, Session& session, int status = 0);

/// "a=1,b=steel" as settings; numbers where they are numbers. \throws Error  something else.
Settings parse_settings(const std::string& text, const std::string& option);
/// "R=V" as a name and a number.
std::pair<std::string, double> parse_pair(const std::string& text, const std::string& option);
/// "p=SCATTER" each, as a name and the rest. \throws Error  something else.
std::vector<std::pair<std::string, std::string>> parse_scatters(const std::vector<std::string>& texts);
/// "24" or "16..40" of --runs; the second is 0 for one number. \throws Error  something else.
std::pair<int, int> parse_range(const std::string& text);
/// Names separated by commas or given several times.
std::vector<std::string> split(const std::vector<std::string>& words);

/// 1 if a note says that a surrogate which is unfit was used or nothing is feasible, else 0.
int status_of(const Notes& notes);

/// One line on a terminal's standard error that says what is going on, gone when it is done.
class StatusLine {
 public:
  explicit StatusLine(const Globals& globals);
  ~StatusLine();
  StatusLine(const StatusLine&) = delete;
  StatusLine& operator=(const StatusLine&) = delete;
  void show(const std::string& text);

 private:
  bool on_, drawn_ = false;
};

/// Counts Ctrl-C and SIGTERM for as long as it lives; one at a time.
class Interrupts {
 public:
  Interrupts();
  ~Interrupts();
  Interrupts(const Interrupts&) = delete;
  Interrupts& operator=(const Interrupts&) = delete;
  int fd() const;  ///< becomes readable with each
  int count();     ///< since the beginning; makes fd() unreadable again

 private:
  struct sigaction before_interrupt_ {
  }, before_end_{};
};

/// Ctrl-C once: finish what runs (leave a cluster to itself); twice: end it. A progress bar on a terminal.
/// For the length of a run.
class RunControl {
 public:
  explicit RunControl(const Globals& globals, bool cluster = false);
  ~RunControl();
  RunControl(const RunControl&) = delete;
  RunControl& operator=(const RunControl&) = delete;
  void attach(RunningOptions& options);

 private:
  void show(const Progress& progress);
  Interrupts interrupts_;
  bool bar_, cluster_, drawn_ = false;
  int announced_ = 0;
};

}  // namespace renth::cli
