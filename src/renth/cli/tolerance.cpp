#include <renth/base/error.hpp>
#include <renth/cli/setting_options.hpp>
#include <renth/document/tolerance.hpp>

namespace renth::cli {

std::function<int()> declare_tolerance(CLI::App& app, Globals& globals) {
  struct Options {
    SettingOptions setting;
    ToleranceRequest request;
    std::string method = "sobol";
    std::vector<std::string> set, hold;
    double reach = 0;
  };
  auto o = std::make_shared<Options>();
  ToleranceRequest& r = o->request;
  o->setting.declare(app, "what is made (default: the best proposal, else nominal)");
  app.add_option("--batch", r.batch, "of real runs drawn by renth plan scatter instead");
  app.add_option(
         "--method", o->method,
         "how draws are spread: sobol (default), hypercube, hammersley, random; or corners, the worst case")
      ->check(CLI::IsMember(sampling_words.all()));
  auto* samples =
      app.add_option("--samples", r.options.samples, "draws (default: as many as --half-width needs)")
          ->check(CLI::Range(32, 1 << 24));
  app.add_option("--half-width", r.options.half_width, "of the yield's interval (default 0.0025)")
      ->check(CLI::Range(1e-5, 0.5))
      ->excludes(samples);
  app.add_option(
      "--set", o->set,
      "p=SCATTER, another scatter than the file's: normal:0.05, normal:2%, uniform:…, triangular:…, "
      "lognormal:…, measured:FILE, none, or shares such as hull=steel=0.9,composite=0.1");
  app.add_option("--accept", r.accept, "\"R<=V\", another limit than the file's");
  auto* reach = app.add_option("--reach", o->reach,
                               "which tolerances to tighten for this yield, such as 0.99, at least cost "
                               "(tighten_cost of study.toml)")
                    ->check(CLI::Range(0.01, 0.999999));
  app.add_flag("--centre", r.centre,
               "look for the setting nearby with the highest yield (levels and choices stay)");
  app.add_option("--hold", o->hold, "of --centre: p=v, settings that stay");
  app.add_flag("--mean-only", r.mean_only,
               "of a noisy study: leave out what one run scatters round the mean");
  return [o, reach, &globals] {
    ToleranceRequest& request = o->request;
    request.setting = o->setting.asked();
    if (!request.batch.empty() && (request.setting.any() || request.centre || *reach || !o->set.empty()))
      throw Error("real runs were made at one setting with their own scatter", "--batch " + request.batch,
                  "leave the other options out");
    request.set = parse_scatters(o->set);
    for (const std::string& h : o->hold)
      for (const auto& [key, value] : parse_settings(h, "--hold")) request.hold[key] = value;
    request.options.method = sampling_words.value(o->method, "--method");
    request.options.level = globals.level;
    if (*reach) request.options.reach = o->reach;
    request.seed = globals.seed;
    Session session(globals.study);
    const ToleranceAnswer answer = tolerance_of(session, request);
    return finish(globals, session, answer, status_of(answer.notes));
  };
}

}  // namespace renth::cli
