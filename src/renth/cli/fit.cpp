#include <renth/cli/cli.hpp>
#include <renth/workflow/fitting.hpp>

namespace renth::cli {

std::function<int()> declare_fit(CLI::App& app, Globals& globals) {
  struct Options {
    FittingOptions fitting;
    std::vector<std::string> take;
  };
  auto o = std::make_shared<Options>();
  std::string kinds;
  for (const SurrogateKind& k : surrogate_kinds()) kinds += fmt::format("\n  {}: {}", k.name, k.summary);
  app.add_option("KIND", o->fitting.kind,
                 "the kind; without it the one that predicts best (largest Q²)" + kinds);
  app.add_option("--response", o->fitting.responses, "only these responses (default: all)");
  app.add_option("--model", o->fitting.terms,
                 "terms of a polynomial: linear, interactions, quadratic, cubic or a sum such as \"1 + "
                 "radius + radius^2\" (default: the richest that the runs carry)");
  app.add_option("--take", o->take, "confirm: fit the runs of confirm batches too")
      ->check(CLI::IsMember({"confirm"}));
  return [o, &globals] {
    o->fitting.responses = split(o->fitting.responses);
    o->fitting.take_confirm = !o->take.empty();
    o->fitting.seed = globals.seed;
    o->fitting.level = globals.level;
    Session session(globals.study);
    const FitResult result = fit_responses(session, o->fitting);
    print(globals, session.study, result);
    for (const ModelResult& m : result.models)
      if (m.judgement.verdict == Verdict::unfit) return 1;
    for (const Note& n : result.notes)
      if (n.code == "not_fitted") return 1;
    return 0;
  };
}

std::function<int()> declare_trust(CLI::App& app, Globals& globals) {
  auto responses = std::make_shared<std::vector<std::string>>();
  app.add_option("--response", *responses, "only these responses (default: all)");
  return [responses, &globals] {
    Session session(globals.study);
    const TrustResult result = trust_responses(session, split(*responses), globals.level);
    print(globals, session.study, result);
    for (const auto& r : result.responses)
      if (r.model.judgement.verdict == Verdict::unfit) return 1;
    return 0;
  };
}

}  // namespace renth::cli
