#include <renth/base/error.hpp>
#include <renth/cli/setting_options.hpp>
#include <renth/document/window.hpp>
#include <renth/table/table_file.hpp>
#include <renth/table/whole_file.hpp>

namespace renth::cli {
namespace {

/// "radius=4..6" as a name and two numbers.
std::pair<std::string, std::pair<double, double>> parse_span(const std::string& text) {
  const std::size_t equals = text.find('='), dots = text.find("..", equals == std::string::npos ? 0 : equals);
  if (equals != std::string::npos && dots != std::string::npos) {
    const auto low = cell_number(text.substr(equals + 1, dots - equals - 1)),
               high = cell_number(text.substr(dots + 2));
    if (low && high) return {text.substr(0, equals), {*low, *high}};
  }
  throw Error("\"" + text + "\" is no span", "--span", "write radius=4..6");
}

}  // namespace

std::function<int()> declare_window(CLI::App& app, Globals& globals) {
  struct Options {
    WindowRequest request;
    std::vector<std::string> span, hold, set;
    std::string centre, sample;
  };
  auto o = std::make_shared<Options>();
  WindowRequest& r = o->request;
  app.add_option("--within", r.within,
                 "the share of the settings that must be in specification (default 0.99)")
      ->check(CLI::Range(0.01, 1.0));
  app.add_option(
      "--sure", r.sure,
      "limits hold with this probability by the surrogates' errors, not only by their means (0.95)");
  app.add_option("--span", o->span, "p=lo..hi: narrow by hand, and see what that is worth");
  auto* centre = app.add_option("--centre-at", o->centre,
                                "a setting that the window must hold: radius=5,draft=2; the rest is nominal");
  app.add_option("--proposal", r.centre.proposal, "the same, of a proposal: 1, or SCENARIO:1")
      ->excludes(centre);
  app.add_option("--mark", r.centre.mark, "the same, of a mark")->excludes(centre);
  app.add_option("--hold", o->hold, "p=v: settings that stay; choices stay in any case");
  app.add_option("--set", o->set, "p=SCATTER, another scatter than the file's, as renth tolerance takes it");
  app.add_option("--accept", r.accept, "\"R<=V\", another limit than the file's");
  app.add_flag("--mean-only", r.mean_only,
               "of a noisy study: leave out what one run scatters round the mean");
  app.add_option("--keep-as", r.keep_as, "keep the window by this name, such as for renth init --window");
  app.add_option("--sample", o->sample,
                 "write the sample of the region to this CSV file, in and out of specification");
  return [o, &globals] {
    WindowRequest& request = o->request;
    for (const std::string& text : split(o->span)) request.span.push_back(parse_span(text));
    for (const std::string& h : o->hold)
      for (const auto& [key, value] : parse_settings(h, "--hold")) request.hold[key] = value;
    request.set = parse_scatters(o->set);
    if (!o->centre.empty()) request.centre.at = parse_settings(o->centre, "--centre-at");
    request.level = globals.level;
    request.seed = globals.seed;
    Session session(globals.study);
    const WindowAnswer answer = window_of(session, request);
    if (!o->sample.empty())
      write_whole_file(o->sample,
                       [&](std::ostream& out) { out << window_sample_csv(session.study, answer); });
    return finish(globals, session, answer, status_of(answer.notes));
  };
}

}  // namespace renth::cli
