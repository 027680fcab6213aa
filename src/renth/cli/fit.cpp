#include <algorithm>
#include <renth/cli/cli.hpp>
#include <renth/document/fit.hpp>
#include <renth/document/named_fits.hpp>
#include <renth/fit/methods.hpp>
#include <renth/workflow/expected_time.hpp>
#include <renth/workflow/fitting.hpp>

namespace renth::cli {
namespace {

struct FitOptions {
  FittingOptions fitting;
  std::vector<std::string> take;
  // What is done with fits that were made before, instead of fitting:
  std::string return_to, forget;
  bool current = false, list = false;
};

void declare_polynomial(CLI::App& app, FittingOptions& f) {
  app.add_option("--drop", f.drop, "polynomial: a term to leave out, such as radius*draft; may be repeated");
  app.add_option("--choose", f.choose,
                 "polynomial: choose the terms: forward, backward, both (stepwise), best-subset (up to 30 "
                 "terms), none (default none)")
      ->check(CLI::IsMember(choice_method_words.all()));
  app.add_option("--by", f.by,
                 "what the choice goes by: p, aicc, bic, predicted-r2 (default p; best-subset: aicc)")
      ->check(CLI::IsMember(choice_rule_words.all()));
  app.add_option("--enter", f.enter, "largest p-value with which a term comes in (default 0.05)")
      ->check(CLI::Range(0.0, 1.0));
  app.add_option("--leave", f.leave, "p-value beyond which a term goes (default 0.1)")
      ->check(CLI::Range(0.0, 1.0));
  app.add_option("--keep", f.keep, "a term that the choice may not drop; may be repeated");
  app.add_flag("!--no-heredity", f.heredity,
               "let a main effect go although a higher term needs it (default: it stays)");
  app.add_option(
      "--transform", f.transform,
      "polynomial: fit a power of the response: log, sqrt, inverse, box-cox (its suggestion) or a number");
  app.add_option(
      "--weights", f.weights,
      "polynomial: a run counts as this many, such as \"1/power^2\": an expression of parameters and "
      "responses");
}

void declare_metamodels(CLI::App& app, FittingOptions& f) {
  app.add_option("--kernel", f.kernel,
                 "kriging: gaussian, matern52, matern52-product (in each parameter), matern32 or exponential "
                 "(default: "
                 "the likeliest of all but the last)")
      ->check(CLI::IsMember(kernel_words.all()));
  app.add_option(
      "--trend", f.trend,
      "kriging: constant, or TERMS that it varies about (default: constant; linear is tried too if "
      "there are ten runs a parameter)");
  app.add_option("--nugget", f.nugget,
                 "kriging: scatter of the runs: auto, none, estimated, replicates (their pure error) or a "
                 "variance (default auto: where the study is noisy or the runs say so)");
  app.add_option("--criterion", f.criterion,
                 "kriging: correlation lengths by likelihood or by leave-one-out (default likelihood)")
      ->check(CLI::IsMember(kriging_criterion_words.all()));
  app.add_flag("!--no-prior", f.prior, "kriging: no prior on the correlation lengths");
  app.add_option("--basis", f.basis,
                 "rbf: cubic, thin-plate, multiquadric or gaussian (default: what predicts best)")
      ->check(CLI::IsMember(radial_basis_words.all()));
}

void declare_kept_fits(CLI::App& app, FitOptions& o) {
  auto* as = app.add_option("--as", o.fitting.keep_as,
                            "keep the fits by this name too: for trust --against and fit --return");
  auto* current = app.add_flag("--current", o.current, "with --as: name the current fits, and fit nothing");
  auto* back =
      app.add_option("--return", o.return_to,
                     "make the fits of this name the current ones again, and fit nothing; `last` are "
                     "those before the current ones");
  auto* list = app.add_flag("--list", o.list, "show the fits that have a name, and fit nothing");
  auto* forget = app.add_option("--forget", o.forget, "take this name from the fits that have it");
  for (auto* instead : {current, back, list, forget})
    for (auto* option : app.get_options()) {
      const std::string name = option->get_name();
      const bool goes_with = option == instead || name == "--help" || name == "--response" ||
                             (option == as && instead == current);
      if (!goes_with) instead->excludes(option);
    }
}

/// Naming, listing, returning: nothing is fitted.
int with_kept_fits(const FitOptions& o, const Globals& globals) {
  Session session(globals.study);
  const std::vector<std::string>& responses = o.fitting.responses;
  if (!o.return_to.empty())
    return finish(globals, session, return_to_fits(session, o.return_to, responses, globals.level), 0);
  if (o.list) {
    print(globals, session.study, list_fits(session));
    return 0;
  }
  const NamedFitsResult changed = o.current ? name_current_fits(session, o.fitting.keep_as, responses)
                                            : forget_fits(session, o.forget, responses);
  if (!o.current && !globals.json) print_text("No longer kept by this name:\n");
  print(globals, session.study, changed);
  log(globals, session);
  return 0;
}

int fit(FitOptions& o, const Globals& globals) {
  o.fitting.responses = split(o.fitting.responses);
  if (o.current && o.fitting.keep_as.empty())
    throw Error("the current fits are to be kept, and have no name", "--current", "add --as NAME");
  if (o.current || o.list || !o.return_to.empty() || !o.forget.empty()) return with_kept_fits(o, globals);
  o.fitting.take_confirm = !o.take.empty();
  o.fitting.seed = globals.seed;
  o.fitting.level = globals.level;
  Session session(globals.study);
  FitResult result;
  {
    StatusLine line(globals);
    o.fitting.progress = [&](const std::string& response, int done, int total, const std::string& candidate) {
      line.show(fmt::format("{}: {} of {} candidates tried, now {}", response, done, total, candidate));
    };
    o.fitting.expect = [&](const std::string& what, double seconds) {
      if (!globals.quiet)
        print_aside(fmt::format(
            "Fitting {} takes about {} on this machine. What is fitted is kept when this is ended; "
            "--response "
            "fits some of them, and one kind alone (renth fit chaos, renth fit polynomial) is far quicker.\n",
            what, duration_text(seconds)));
    };
    result = fit_responses(session, o.fitting);
  }
  const bool doubtful =
      std::any_of(result.models.begin(), result.models.end(),
                  [](const ModelResult& m) { return m.judgement.verdict == Verdict::unfit; }) ||
      std::any_of(result.notes.begin(), result.notes.end(),
                  [](const Note& n) { return n.code == "not_fitted"; });
  return finish(globals, session, result, doubtful ? 1 : 0);
}

}  // namespace

std::function<int()> declare_fit(CLI::App& app, Globals& globals) {
  auto options = std::make_shared<FitOptions>();
  FitOptions& o = *options;
  std::string kinds;
  for (const SurrogateKind& k : surrogate_kinds()) kinds += fmt::format("\n  {}: {}", k.name, k.summary);
  app.add_option("KIND", o.fitting.kind,
                 "the kind; without it the one that predicts best" + kinds +
                     "\n  blend: the best convex combination of the others");
  app.add_option("--response", o.fitting.responses, "only these responses (default: all)");
  app.add_option("--model", o.fitting.terms,
                 "terms of a polynomial: linear, products, quadratic, cubic or a sum such as \"1 + "
                 "radius + radius^2\" (default: the richest that the runs carry)");
  declare_polynomial(app, o.fitting);
  declare_metamodels(app, o.fitting);
  app.add_option("--candidates", o.fitting.candidates, "try at most this many, simplest first (default: all)")
      ->check(CLI::Range(1, 1000));
  app.add_option("--repeats", o.fitting.repeats,
                 "of cross-validation, for the choice (default: 3, fewer for many runs)")
      ->check(CLI::Range(1, 100));
  app.add_flag("!--keep-idle", o.fitting.drop_idle,
               "do not try without the parameters that carry no information");
  app.add_flag("--mixed", o.fitting.mixed,
               "fit runs together that were computed by different formulas, commands, templates or output "
               "sources");
  app.add_option("--take", o.take, "confirm: fit the runs of confirm batches too")
      ->check(CLI::IsMember({"confirm"}));
  declare_kept_fits(app, o);
  return [options, &globals] { return fit(*options, globals); };
}

}  // namespace renth::cli
