#include <renth/cli/cli.hpp>
#include <renth/study/table_file.hpp>
#include <renth/workflow/confirming.hpp>
#include <renth/workflow/ranking.hpp>
#include <renth/workflow/seeking.hpp>

namespace renth::cli {

std::function<int()> declare_rank(CLI::App& app, Globals& globals) {
  struct Options {
    std::vector<std::string> responses;
    RankOptions rank;
  };
  auto o = std::make_shared<Options>();
  app.add_option("--response", o->responses, "only these responses (default: all)");
  app.add_option("--samples", o->rank.samples,
                 "base points of each of eight samples, a power of two (default 1024)")
      ->check(CLI::Range(64, 1 << 20));
  return [o, &globals] {
    o->rank.level = globals.level;
    Session session(globals.study);
    const RankResult result = rank_responses(session, split(o->responses), o->rank, globals.seed);
    print(globals, session.study, result);
    return status_of(result.notes);
  };
}

std::function<int()> declare_predict(CLI::App& app, Globals& globals) {
  struct Options {
    std::vector<std::string> at;
    std::string points;
  };
  auto o = std::make_shared<Options>();
  auto* at = app.add_option(
      "--at", o->at, "settings such as radius=5,hull=steel; the rest is nominal; may be given several times");
  app.add_option("--points", o->points,
                 "a table of settings, a column a parameter; missing columns are nominal")
      ->excludes(at);
  return [o, &globals] {
    Session session(globals.study);
    const Study& study = session.study;
    std::vector<Eigen::VectorXd> rows;
    for (const std::string& text : o->at)
      rows.push_back(study.point(parse_settings(text, "--at"), true, "--at " + text));
    if (!o->points.empty()) {
      const TableFile table = read_table(o->points);
      for (const TableFile::Row& row : table.rows) {
        Settings settings;
        for (std::size_t c = 0; c < table.header.size(); ++c) {
          const auto number = cell_number(row.cells[c]);
          settings[table.header[c]] = number ? Value(*number) : Value(row.cells[c]);
        }
        rows.push_back(study.point(settings, true, fmt::format("{}:{}", o->points, row.line)));
      }
    }
    if (o->at.empty() && o->points.empty()) rows.push_back(study.space.nominal());
    if (rows.empty()) throw Error("the table has no points", o->points, "give it a row a point");
    Eigen::MatrixXd points(Eigen::Index(rows.size()), study.space.size());
    for (std::size_t i = 0; i < rows.size(); ++i) points.row(Eigen::Index(i)) = rows[i];
    const PredictResult result = Predictor(session, {}).predict(points, globals.level);
    print(globals, study, result);
    return status_of(result.notes);
  };
}

std::function<int()> declare_extremes(CLI::App& app, Globals& globals) {
  auto responses = std::make_shared<std::vector<std::string>>();
  app.add_option("--response", *responses, "only these responses (default: all numbers)");
  return [responses, &globals] {
    Session session(globals.study);
    const ExtremesResult result = extremes_of_responses(session, split(*responses), globals.seed);
    print(globals, session.study, result);
    return status_of(result.notes);
  };
}

std::function<int()> declare_seek(CLI::App& app, Globals& globals) {
  struct Options {
    SeekRequest request;
    std::vector<std::string> target, weight, hold;
  };
  auto o = std::make_shared<Options>();
  SeekRequest& r = o->request;
  app.add_option("--scenario", r.scenario, "goals, conditions and holds of this scenario of study.toml");
  app.add_option("--maximise", r.maximise,
                 "responses to make large; goals given here replace those of the file");
  app.add_option("--minimise", r.minimise, "responses to make small");
  app.add_option("--target", o->target, "R=V: a response to bring to a value");
  app.add_option("--keep", r.keep, "\"R<=V\": a condition on responses and parameters that must hold");
  app.add_option("--hold", o->hold, "p=v: settings that stay");
  app.add_option("--weight", o->weight, "R=W: importance among the goals (default 1, or as study.toml says)");
  app.add_option("--proposals", r.proposals, "how many settings to propose (default 3)")
      ->check(CLI::Range(1, 12));
  return [o, &globals] {
    SeekRequest& request = o->request;
    request.maximise = split(request.maximise);
    request.minimise = split(request.minimise);
    for (const std::string& t : split(o->target)) request.target.push_back(parse_pair(t, "--target"));
    for (const std::string& w : split(o->weight)) request.weight.push_back(parse_pair(w, "--weight"));
    for (const std::string& h : o->hold)
      for (const auto& [key, value] : parse_settings(h, "--hold")) request.hold[key] = value;
    request.seed = globals.seed;
    request.level = globals.level;
    Session session(globals.study);
    const SeekOutcome result = seek_settings(session, request);
    print(globals, session.study, result);
    return status_of(result.notes);
  };
}

std::function<int()> declare_confirm(CLI::App& app, Globals& globals) {
  struct Options {
    ConfirmRequest request;
    std::vector<std::string> at;
  };
  auto o = std::make_shared<Options>();
  auto* proposals =
      app.add_option("--proposal", o->request.proposals, "ranks of the last seek (default: the best)")
          ->delimiter(',');
  app.add_option("--at", o->at, "settings such as radius=5,hull=steel instead; the rest is nominal")
      ->excludes(proposals);
  app.add_option("--jobs", o->request.running.jobs, "solvers at once (default: as study.toml says)");
  return [o, &globals] {
    for (const std::string& text : o->at) o->request.at.push_back(parse_settings(text, "--at"));
    o->request.level = globals.level;
    Session session(globals.study);
    ConfirmResult result;
    {
      RunControl control(globals);
      control.attach(o->request.running);
      result = confirm_settings(session, o->request);
    }
    print(globals, session.study, result);
    for (const auto& p : result.proposals)
      if (p.status == "failed") return 3;
    return result.missed ? 1 : 0;
  };
}

}  // namespace renth::cli
